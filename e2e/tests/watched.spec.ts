/** What is watched rather than read, by keyboard alone: stages passed or not, and a key for each support. */
import { test, expect, isClean } from "./support";

test.use({ rate: 4 });

test("sit-ups stage by stage: one taken back, one failed, then as many as possible of the stage before", async ({
  coach,
  page,
  server,
}) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.stands([person], "staged-sit-up", {});
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Palms to mid-thigh" })).toBeVisible();
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Fingertips to the top of the knees" })).toBeVisible();
  await page.keyboard.press("x");
  await expect(page.getByText("Stage 1, palms to mid-thigh: as many as possible.")).toBeVisible();
  await expect(page.getByRole("button", { name: /Undo stage 2 failed/ })).toBeVisible();
  await page.keyboard.press("u");
  await expect(page.getByRole("heading", { name: "Fingertips to the top of the knees" })).toBeVisible();
  await page.keyboard.press("Space");
  await expect(page.getByRole("timer")).toHaveText(/^\s*3\s*of 6 stages/);
  await page.reload();
  await expect(page.getByRole("heading", { name: "Wrists over the knees" })).toBeVisible();
  await isClean(page, "a ladder of stages");
  await page.screenshot({ path: "test-results/ladder.png" });
  await page.keyboard.press("Space");
  await expect(page.getByRole("timer")).toHaveText(/^\s*4\s*of 6 stages/);
  await page.keyboard.press("x");
  await expect(page.getByText("Stage 3, wrists over the knees: as many as possible.")).toBeVisible();
  for (let n = 1; n <= 5; n++) {
    await page.keyboard.press("Space");
    await expect(page.getByRole("timer")).toContainText(String(n));
  }
  await expect(page.getByRole("button", { name: "Stage 4 failed" })).toBeVisible();
  await page.screenshot({ path: "test-results/ladder-count.png" });
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  const shown = Object.fromEntries(result.report.quantities.map((q: { key: string; shown: string }) => [q.key, q.shown]));
  expect(shown).toMatchObject({ stage: "3", reps: "5" });
});

test("down to the floor and up: a key a support on a phone, one taken back, nothing seen on the way up", async ({
  coach,
  page,
  server,
}) => {
  await page.setViewportSize({ width: 390, height: 760 });
  await coach.hasPractice();
  const person = await coach.knows("Maud Ellery", "1951-04-02", "female");
  await coach.stands([person], "sit-rise-floor", { barefoot: true });
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Down", exact: true })).toBeVisible();
  await expect(page.getByRole("timer")).toContainText("nothing seen");
  await page.keyboard.press("1");
  await page.keyboard.press("3");
  await expect(page.getByRole("timer")).toContainText("hand, knee");
  await expect(page.getByRole("button", { name: /Undo .Knee/ })).toBeVisible();
  await page.keyboard.press("u");
  await expect(page.getByRole("timer")).not.toContainText("knee");
  await page.getByRole("button", { name: "Wobble", exact: true }).click();
  await expect(page.getByRole("timer")).toContainText("hand, wobble");
  await page.screenshot({ path: "test-results/seen-390.png" });
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Up", exact: true })).toBeVisible();
  await expect(page.getByRole("button", { name: /Save result/ })).toBeHidden();
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Everything is there" })).toBeVisible();
  await page.setViewportSize({ width: 1280, height: 800 });
  await isClean(page, "a movement that was watched");
  await page.screenshot({ path: "test-results/seen.png" });
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  const score = result.report.quantities.find((q: { key: string }) => q.key === "score");
  expect(score.shown).toBe("8.5");
});
