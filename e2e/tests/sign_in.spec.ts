/** Ways in: a second factor, a link for a new password; and what a client agrees to. */
import { createHmac } from "node:crypto";
import { ACCOUNT, expect, isClean, test } from "./support";

/** The code of a secret in base 32 (RFC 4648), so many steps of 30 s from now (RFC 6238). */
function code(secret: string, steps = 0): string {
  const bits = [...secret.replace(/\s/g, "")].map((c) => "ABCDEFGHIJKLMNOPQRSTUVWXYZ234567".indexOf(c).toString(2).padStart(5, "0"));
  const key = Buffer.from((bits.join("").match(/.{8}/g) ?? []).map((b) => parseInt(b, 2)));
  const step = Buffer.alloc(8);
  step.writeBigUInt64BE(BigInt(Math.floor(Date.now() / 30_000) + steps));
  const hash = createHmac("sha1", key).update(step).digest();
  const at = hash[hash.length - 1]! & 15;
  return String((hash.readUInt32BE(at) & 0x7fffffff) % 1_000_000).padStart(6, "0");
}

test("a second factor is set up by a scanned code, asked for at sign-in, and a lost phone has a way in", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.opens("/practice");
  await page.getByText("Set up a second factor").click();
  await page.locator("[name=begin-password]").fill(ACCOUNT.password);
  await page.getByRole("button", { name: "Show code to scan" }).click();
  await expect(page.getByRole("img", { name: "Code to scan" })).toBeVisible();
  await isClean(page, "second factor");
  const secret = await page.locator(".secret").innerText();
  await page.locator("[name=first-code]").fill("000000");
  await page.getByRole("button", { name: "Turn on" }).click();
  await expect(page.getByText("This code is not right")).toBeVisible();
  await page.locator("[name=first-code]").fill(code(secret, -1));
  await page.getByRole("button", { name: "Turn on" }).click();
  const recovery = await page.locator(".codes li").first().innerText();
  await page.getByRole("button", { name: "I wrote them down" }).click();
  await expect(page.getByText("10 recovery codes are left")).toBeVisible();
  await page.request.delete(`${coach.server.url}/api/session`);
  await coach.opens("/sign-in");
  await page.getByLabel("Email address").fill(ACCOUNT.email);
  await page.getByLabel("Password").fill(ACCOUNT.password);
  await page.getByRole("button", { name: "Sign in" }).click();
  await page.locator("[name=code]").fill("123456");
  await page.keyboard.press("Enter");
  await expect(page.getByText("This code is not right")).toBeVisible();
  await page.locator("[name=code]").fill(recovery.toUpperCase());
  await page.keyboard.press("Enter");
  await expect(page).toHaveURL(`${coach.server.url}/`);
});

test("what a client agrees to is asked beside readiness once, and holds up a test where the practice says so", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.opens("/practice");
  await page.getByText("Clients agree before a test").click();
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("Saved.")).toBeVisible();
  const id = "0197d1f0-0000-7000-8000-00000000c0de";
  const form = { id, name: "Noor Lund", born: "2014-05-04", sex: "female", units: "metric", height: "150", mass: "40" };
  expect((await page.request.post(`${coach.server.url}/api/people`, { data: form })).ok()).toBe(true);
  await coach.opens(`/people/${id}/readiness`);
  await expect(page.getByText("Does the guardian of Noor Lund agree")).toBeVisible();
  await page.locator("[name=consent-by-testing]").fill("Noor Lund");
  await page.getByRole("button", { name: "Agreed", exact: true }).click();
  await expect(page.getByText("a guardian answers")).toBeVisible();
  await page.locator("[name=consent-by-testing]").fill("Ada Lund");
  await page.getByRole("button", { name: "Agreed", exact: true }).click();
  await expect(page.getByText("Ada Lund (guardian)")).toBeVisible();
  await isClean(page, "consent");
  await coach.opens(`/people/${id}/photos`);
  await expect(page.getByText("photographs being taken and kept?")).toBeVisible();
});
