/** How far an estimate may be off: on paper, on the result, over several methods. */
import { randomUUID } from "node:crypto";
import { expect, isClean, test, type Coach } from "./support";

const walked = { surface: "track", warm_up: true, hr_source: "strap" };

/** A test from paper, by the interface's own route; `ago`: days before the practice's today. */
async function kept(coach: Coach, person: string, ago: number, form: object): Promise<string> {
  const session = await (await coach.page.request.get(`${coach.server.url}/api/session`)).json();
  const on = new Date(Date.parse(session.today) - ago * 86_400_000).toISOString().slice(0, 10);
  const data = { id: randomUUID(), on, conditions: {}, ...form };
  const answer = await coach.page.request.post(`${coach.server.url}/api/people/${person}/results`, { data });
  expect(answer.ok(), await answer.text()).toBeTruthy();
  return (await answer.json()).result;
}

test("VO₂max from four places becomes one with a narrower range, and says what went in", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Torben Lysgaard", "1963-04-02");
  const reported = (source: string, inputs: object) => ({ protocol: "reported-vo2max", inputs, conditions: { source } });
  await kept(coach, person, 40, reported("Wrist watch", { vo2max: 38, given_by: "watch" }));
  await kept(coach, person, 30, reported("Gym bicycle", { vo2max: 34.5, given_by: "machine" }));
  await kept(coach, person, 12, { protocol: "mile-walk", inputs: { time_s: 860, hr_end: 128 }, conditions: walked, mass: "82" });

  // The laboratory's value is typed: what gave it is asked, its error may be given.
  await coach.opens(`/people/${person}/enter/reported-vo2max`);
  await page.locator('input[name="vo2max"]').fill("36.2");
  await page.getByText("laboratory with a gas mask").click();
  await page.locator('input[name="standard_error"]').fill("1.5");
  await page.getByLabel(/Source/).fill("Laboratory");
  await page.getByRole("button", { name: "Save result" }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText("95 % range 33 to 39 mL/kg/min").first()).toBeVisible();
  await page.getByRole("button", { name: "Why?" }).first().click();
  await expect(page.getByText("its own standard error as it was reported")).toBeVisible();
  await page.keyboard.press("Escape");

  await coach.opens(`/people/${person}`);
  await page.getByRole("link", { name: "How it was combined, and over time" }).click();
  await page.waitForURL(/vo2max$/);
  const rows = page.getByRole("row");
  for (const method of ["Laboratory", "Mile walk", "Wrist watch", "Gym bicycle"])
    await expect(rows.filter({ hasText: method })).toContainText("%");
  await expect(rows.filter({ hasText: "Laboratory" })).toContainText("36.2");
  await expect(page.getByText(/^95 % range 3\d to (38|39) mL\/kg\/min$/)).toBeVisible();
  await expect(page.getByText("Laboratory: what is its own")).toBeVisible();
  await expect(page.getByRole("heading", { name: "Over time" })).toBeVisible();
  await isClean(page, "best VO₂max");

  // A narrower window has fewer methods; one that ends before all of them has none.
  await page.getByLabel("Use the tests of").selectOption("2");
  await expect(rows.filter({ hasText: "Wrist watch" })).toHaveCount(0);
  await expect(rows.filter({ hasText: "Mile walk" })).toHaveCount(1);
});

test("what a medicine makes unfit stays out, and methods that do not overlap are named", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Torben Lysgaard", "1963-04-02");
  const reported = (source: string, inputs: object) => ({ protocol: "reported-vo2max", inputs, conditions: { source } });
  await kept(coach, person, 20, reported("Laboratory", { vo2max: 30, given_by: "laboratory", standard_error: 1.2 }));
  await kept(coach, person, 10, reported("Wrist watch", { vo2max: 52, given_by: "watch" }));
  await coach.opens(`/people/${person}/vo2max`);
  await expect(
    page.getByText(/Laboratory \(30\.0, 28 to 32\) and Wrist watch \(52\.0, \d+ to \d+\) don’t overlap\. Usual reasons:/),
  ).toBeVisible();

  const { form } = await (await page.request.get(`${coach.server.url}/api/people/${person}`)).json();
  const data = { ...form, rate_limiting_drug: true };
  expect((await page.request.put(`${coach.server.url}/api/people/${person}`, { data })).ok()).toBeTruthy();
  await kept(coach, person, 1, { protocol: "mile-walk", inputs: { time_s: 860, hr_end: 98 }, conditions: walked, mass: "82" });
  await coach.opens(`/people/${person}/vo2max`);
  const out = page.getByRole("listitem").filter({ hasText: "Mile walk" });
  await expect(out).toContainText("medicine");
});

test("a measured maximum below a heart rate is asked back on paper, and nothing typed is lost", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Torben Lysgaard", "1963-04-02");
  await coach.opens(`/people/${person}/enter/multistage-cycle`);
  await page.getByLabel("Load of stage 1").fill("450");
  await page.getByLabel("Heart rate of stage 1, minute 2").fill("130");
  await page.getByLabel("Heart rate of stage 1, minute 3").fill("132");
  await page.locator('input[name="hr_max"]').fill("121");
  await page.getByText("Yes", { exact: true }).click();
  await page.getByText("by chest strap").click();
  await page.getByLabel(/Ergometer/).fill("red");
  await page.getByRole("button", { name: "Save result" }).click();
  await expect(page.getByText("A heart rate of 132 bpm was read, above the measured maximum of 121 bpm.")).toBeVisible();
  await expect(page.getByLabel("Heart rate of stage 1, minute 3")).toHaveValue("132");
});
