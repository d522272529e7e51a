/** Holds on the floor: the clock, what is seen on the way, the zero, a reload in the middle; then against last time. */
import { test, expect } from "./support";

const FOREARM = { support: "forearm", limit_s: "to_failure" };

test.use({ rate: 4 });

test("a plank by keyboard alone: shake, form lost, a slip undone, a reload in mid-hold, and the change since last time", async ({
  coach,
  page,
  server,
}) => {
  test.setTimeout(120_000);
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "2005-04-02");
  const paper = {
    id: crypto.randomUUID(),
    protocol: "plank",
    on: "2026-06-01",
    inputs: { seconds: 64, shake_s: 31 },
    conditions: { ...FOREARM },
  };
  expect((await page.request.post(`${server.url}/api/people/${person}/results`, { data: paper })).ok()).toBeTruthy();
  await coach.stands([person], "plank", FOREARM);
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Hold", exact: true })).toBeVisible({ timeout: 10_000 });
  await expect(page.getByText("Last time: 1:04, first shake at 31 s.")).toBeVisible();
  await page.waitForTimeout(2000);
  await page.keyboard.press("s");
  await expect(page.getByText(/^first shake at \d+\.\d/)).toBeVisible();
  await page.keyboard.press("u");
  await expect(page.getByText(/^first shake at/)).toBeHidden();
  await page.keyboard.press("s");
  await page.reload();
  await expect(page.getByText(/^first shake at \d+\.\d/)).toBeVisible();
  await expect(page.getByRole("timer")).not.toHaveText(/^0\.0/);
  await page.keyboard.press("f");
  await expect(page.getByText(/form lost once at/)).toBeVisible();
  await page.waitForTimeout(2000);
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Over" })).toBeVisible();
  const held = await page.getByRole("timer").textContent();
  await page.waitForTimeout(700);
  expect(await page.getByRole("timer").textContent(), "the clock stands").toBe(held);
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  await expect(page.getByText(/Time held \d+(\.\d)? s/).first()).toBeVisible();
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  const { quantities } = result.report;
  expect(quantities[0].key).toBe("seconds");
  expect(quantities.map((q: { key: string }) => q.key).sort()).toEqual(["break_s", "seconds", "shake_s"]);
  expect(result.progress.seconds.since_last.from).toBe(64);
});

test("who cannot take the position scores a zero, on a phone", async ({ coach, page }) => {
  await page.setViewportSize({ width: 390, height: 760 });
  await coach.hasPractice();
  await coach.stands([await coach.knows("Maud Ellery", "1961-04-02", "female")], "plank", { support: "straight_arm", limit_s: "30" });
  await page.getByRole("button", { name: "Start the clock" }).click();
  await page.getByRole("button", { name: /Could not take the position/ }).click();
  await expect(page.getByRole("heading", { name: "Zero is a score" })).toBeVisible();
  await page.getByRole("button", { name: "Save result" }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText("Time held 0 s").first()).toBeVisible();
});

test("a capped plank is over at its cap without a key", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.stands([await coach.knows("Rurik Dane")], "plank", { support: "forearm", limit_s: "30" });
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Over" })).toBeVisible({ timeout: 20_000 });
  await expect(page.getByRole("timer")).toContainText("30.0");
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  await expect(page.getByText("Time held 30 s").first()).toBeVisible();
});
