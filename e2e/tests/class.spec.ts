/** Pairs: one clock for a class, partners on phones of their own. */
import type { Page } from "@playwright/test";
import { test, expect } from "./support";

test.use({ rate: 12 });

test("a class of six with three phones: the teacher's screen fills in and says who is missing", async ({
  coach,
  page,
  server,
  browser,
}) => {
  test.setTimeout(150_000);
  await coach.hasPractice();
  const names = ["Teo Marrable", "Linnea Ostrow", "Noor Haddane", "Caspian Rell", "Wilmot Sayle", "Joren Askvik"];
  const people = [];
  for (const name of names) people.push(await coach.knows(name, "2008-03-01"));
  const run = await coach.stands(people, "class-step-3min", { bench_cm: 30, warm_up: true, pulse_site: "wrist" });
  const code = (await (await page.request.get(`${server.url}/api/runs/${run}`)).json()).join_code as string;
  await expect(page.getByText(`${code.slice(0, 4)} ${code.slice(4)}`)).toBeVisible();

  const phones: Page[] = [];
  for (let k = 0; k < 3; k++) {
    const phone = await (await browser.newContext({ viewport: { width: 390, height: 760 } })).newPage();
    await phone.goto(`${server.url}/join`);
    await phone.getByLabel("The code on the teacher’s screen").fill(k === 0 ? "ZZZZZZ" : code);
    await phone.getByRole("button", { name: "Join", exact: true }).click();
    if (k === 0) {
      await expect(phone.getByText(/This code isn’t active/)).toBeVisible();
      await phone.getByLabel("The code on the teacher’s screen").fill(code.toLowerCase());
      await phone.getByRole("button", { name: "Join", exact: true }).click();
    }
    await phone.getByRole("button", { name: names[k] }).click();
    await expect(phone.getByText(`You count for ${names[k]}`)).toBeVisible();
    phones.push(phone);
  }
  await page.getByRole("button", { name: "Start the clock" }).click();
  for (const phone of phones) await expect(phone.getByRole("heading", { name: "Step" })).toBeVisible({ timeout: 15_000 });

  for (const [k, phone] of phones.entries()) {
    const field = phone.getByLabel("Beats in 10 s");
    await expect(field).toBeEnabled({ timeout: 60_000 });
    if (k === 0) {
      // Cut off, a phone says at once what cannot be right, and what a count comes to.
      await phone.context().setOffline(true);
      await field.fill("95");
      await phone.getByRole("button", { name: "Send" }).click();
      await expect(phone.getByRole("alert")).toBeVisible();
    }
    await field.fill(String(20 + k));
    await phone.getByRole("button", { name: "Send" }).click();
    await expect(phone.getByText(`${6 * (20 + k)}`, { exact: true })).toBeVisible();
    await phone.context().setOffline(false);
    await expect(page.getByRole("listitem").filter({ hasText: names[k]! })).toContainText(`${6 * (20 + k)} bpm`);
  }
  await expect(page.getByText("3 of 6 counted")).toBeVisible();
  await expect(page.getByRole("listitem").filter({ hasText: "Caspian Rell" })).toContainText("missing");
  await page.getByRole("listitem").filter({ hasText: "Caspian Rell" }).getByRole("button").click();
  // A count that cannot be right stays in its field, with the reason; then the next who is missing is up. No key skips anybody.
  const field = page.getByLabel("Beats of Caspian Rell");
  await field.fill("95");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("listitem").filter({ has: field }).getByRole("alert")).toContainText("95 beats in 10 seconds");
  await expect(field).toHaveValue("95");
  await expect(field).toBeFocused();
  await page.keyboard.type("25");
  await page.keyboard.press("Enter");
  await expect(page.getByLabel("Beats of Wilmot Sayle")).toBeFocused();
  await page.keyboard.press("Enter");
  await page.keyboard.press("Enter");
  await expect(page.getByText("4 of 6 counted")).toBeVisible();
  await page.getByRole("button", { name: "Save 4, skip 2" }).click();
  await page.waitForURL(/classes\//);
  await expect(page.getByText("4 of 6 saved")).toBeVisible();
  await expect(phones[0]!.getByText("Thank you. The run is closed.")).toBeVisible();
  // The code ends with the run.
  await phones[0]!.goto(`${server.url}/join/${code}`);
  await expect(phones[0]!.getByText(/This code isn’t active/)).toBeVisible();
  for (const phone of phones) await phone.context().close();
});
