/** A slip is taken back: corrected, made void, moved, done again, stopped or discarded. */
import { randomUUID } from "node:crypto";
import { expect, isClean, test, type Coach } from "./support";

const track = { lap_m: 400, warm_up: true, surface: "track" };

/** A twelve-minute run from paper, by the interface's own route. */
async function ran(coach: Coach, person: string, metres: number): Promise<string> {
  const today = (await (await coach.page.request.get(`${coach.server.url}/api/session`)).json()).today;
  const data = { id: randomUUID(), protocol: "run-12min", on: today, inputs: { distance_m: metres }, conditions: track };
  const kept = await coach.page.request.post(`${coach.server.url}/api/people/${person}/results`, { data });
  expect(kept.ok(), await kept.text()).toBeTruthy();
  return (await kept.json()).result;
}

test("a result is corrected with a reason, the other device shows it, and it can be void and restored", async ({
  coach,
  page,
  context,
}) => {
  await coach.hasPractice();
  const person = await coach.knows("Rune Dahlqvist");
  const result = await ran(coach, person, 2900);
  await coach.opens(`/results/${result}`);
  await expect(page.getByText("53.5").first()).toBeVisible();
  const other = await context.newPage();
  await other.goto(`${coach.server.url}/results/${result}`);
  await expect(other.getByText("53.5").first()).toBeVisible();

  await page.getByRole("link", { name: "Correct" }).click();
  const metres = page.locator('input[name="distance_m"]');
  await expect(metres).toHaveValue("2900");
  await metres.fill("2290");
  await page.reload();
  await expect(metres).toHaveValue("2290");
  await page.getByRole("button", { name: "Save correction" }).click();
  await expect(page.getByText("Give a reason. It is saved with the result.")).toBeVisible();
  await page.getByLabel("Reason for the correction").fill("two laps too many");
  await page.getByRole("button", { name: "Save correction" }).click();
  await page.waitForURL(/results\/[^/]*$/);
  await expect(page.getByText("39.9").first()).toBeVisible();
  await expect(page.getByText("“two laps too many”")).toBeVisible();
  await expect(page.getByText("Distance: 2900 m → 2290 m.")).toBeVisible();
  await expect(other.getByText("39.9").first()).toBeVisible({ timeout: 15_000 });
  await isClean(page, "a corrected result");

  await page.getByRole("button", { name: "Make void" }).click();
  await page.getByLabel("Why?").fill("another client ran it");
  await page.getByRole("button", { name: "Make void" }).click();
  await expect(page.getByText("This result is void. It isn’t used anywhere.")).toBeVisible();
  await coach.opens(`/people/${person}`);
  await expect(page.getByRole("heading", { name: "Rune Dahlqvist" })).toBeVisible();
  await expect(page.getByText("39.9")).toBeHidden();
  await coach.opens(`/results/${result}`);
  await page.getByRole("button", { name: "Restore" }).click();
  await page.getByLabel("Why?").fill("it was Rune after all");
  await page.getByRole("button", { name: "Restore" }).click();
  await expect(page.getByText("39.9").first()).toBeVisible();
});

test("a result of the wrong client is moved to the right one", async ({ coach, page }) => {
  await coach.hasPractice();
  const wrong = await coach.knows("Linnea Brask");
  await coach.knows("Hesper Vale");
  await coach.opens(`/results/${await ran(coach, wrong, 2400)}`);
  await page.getByRole("button", { name: "Move to another client" }).click();
  await page.getByLabel("Name of the client").fill("Hesp");
  await page.getByRole("button", { name: "Hesper Vale" }).click();
  await page.getByLabel("Why?").fill("wrong sheet");
  await page.getByRole("button", { name: "Move", exact: true }).click();
  await expect(page.getByRole("heading", { name: "Hesper Vale" })).toBeVisible();
  await expect(page.getByText(/moved it on .*“wrong sheet”/)).toBeVisible();
});

test("stopping asks: saved as stopped it is no score, discarded it is nothing", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Mira Oshiro");
  const step = { bench_cm: 41.3, warm_up: true, pulse_site: "wrist" };
  await coach.stands([person], "bench-step-3min", step);
  await coach.startsTheClock();
  await page.getByRole("button", { name: "Stop", exact: true }).click();
  await page.getByRole("radio", { name: "Fatigue" }).click();
  await page.getByRole("button", { name: "Save as stopped" }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText("A stopped test gets no score")).toBeVisible();

  await coach.stands([person], "bench-step-3min", step);
  await coach.startsTheClock();
  await page.getByRole("button", { name: "Stop", exact: true }).click();
  await page.getByRole("button", { name: "Discard" }).click();
  await expect(page.getByText("Only a line in the activity log will remain.")).toBeVisible();
  await page.getByRole("button", { name: "Yes, discard it" }).click();
  await page.waitForURL(/people\//);
  const { tests } = await (await page.request.get(`${coach.server.url}/api/people/${person}`)).json();
  expect(tests.length, "one was saved as stopped, one is nowhere").toBe(1);
});

test("in a visit a test is done again, both stay, and the coach says which counts", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Teo Lindgren");
  const data = { id: randomUUID(), battery: "run-12min", conditions: track };
  const visit = await (await page.request.post(`${coach.server.url}/api/people/${person}/visits`, { data })).json();
  const enter = async (metres: number) => {
    const data = {
      id: randomUUID(),
      protocol: "run-12min",
      on: visit.on,
      inputs: { distance_m: metres },
      conditions: track,
      visit: { visit: visit.id, place: 0 },
    };
    expect((await page.request.post(`${coach.server.url}/api/people/${person}/results`, { data })).ok()).toBeTruthy();
  };
  await enter(2400);
  await coach.opens(`/visits/${visit.id}`);
  await page.getByRole("button", { name: "Do it again: 12-minute run" }).click();
  await expect(page.getByRole("heading", { name: "12-minute run" })).toBeVisible();
  await enter(2200);
  await coach.opens(`/visits/${visit.id}`);
  const times = page.getByRole("group", { name: "Done 2 times. Which one counts?" });
  await expect(times.getByRole("radio").nth(1)).toBeChecked();
  await expect(page.getByRole("row", { name: /12-minute run/ })).toContainText("37.9");
  await times.getByRole("radio").first().click();
  await expect(page.getByRole("row", { name: /12-minute run/ })).toContainText("42.4");
});

test("done again, a test has a run of its own and not the closed one", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Teo Lindgren");
  const data = { id: randomUUID(), battery: "toe-touch-squat", conditions: {} };
  const visit = await (await page.request.post(`${coach.server.url}/api/people/${person}/visits`, { data })).json();
  const looks = async (notMet: string) => {
    await expect(page.getByRole("heading", { name: "Toe touch into squat" })).toBeVisible();
    await page.keyboard.press("Space");
    await page.getByRole("button", { name: "Begin" }).click();
    for (const key of ["1", "2", "3", "4", "5", "6", notMet, "Enter"]) await page.keyboard.press(key);
    await coach.reads("Rating, 1 to 5", "4");
    const run = page.url();
    await page.getByRole("button", { name: /Save result/ }).click();
    await page.waitForURL(/visits/);
    return run;
  };
  await coach.opens(`/visits/${visit.id}/floor`);
  const first = await looks("6");
  await page.getByRole("button", { name: "Do it again: Toe touch into squat" }).click();
  expect(await looks("5"), "the first one is closed").not.toBe(first);
  await expect(page.getByRole("group", { name: "Done 2 times. Which one counts?" })).toBeVisible();
});

test.describe("one minute of push-ups", () => {
  test.use({ rate: 6 });
  test("on the knees as agreed, to its bell and not a repetition longer; kept early only when asked twice", async ({ coach, page }) => {
    await coach.hasPractice();
    const person = await coach.knows("Noor Haddane", "1988-05-01", "female");
    await coach.stands([person], "push-up", { rule: "one_minute", style: "knees", depth: "floor" });
    await page.keyboard.press("Space");
    await expect(page.getByRole("heading", { name: "On the knees" })).toBeVisible();
    await expect(page.getByText(/0:\d\d left/)).toBeVisible();
    await expect(page.getByRole("button", { name: /One more/ })).toBeEnabled();
    await page.keyboard.press("Space");
    await page.keyboard.press("Space");
    await page.getByRole("button", { name: /Save result/ }).click();
    await expect(page.getByText(/left. Save it as if the time were over\?/)).toBeVisible();
    await page.getByRole("button", { name: "Go on", exact: true }).click();
    await page.keyboard.press("Space");
    await expect(page.getByRole("button", { name: /One more/ })).toBeDisabled({ timeout: 20_000 });
    await page.keyboard.press("Space");
    await expect(page.locator(".figure")).toHaveText(/^3/);
    await page.getByRole("button", { name: /Save result/ }).click();
    await page.waitForURL(/results\//);
    const { entry } = await (await page.request.get(page.url().replace("/results/", "/api/results/"))).json();
    expect(entry.inputs).toMatchObject({ reps_knees: 3, rule: "one_minute" });
    expect(entry.inputs.reps_toes).toBeUndefined();
  });
});

test("push-ups to a beat: two seconds down and one up, three beats missed in a row end it, three undone are three", async ({
  coach,
  page,
}) => {
  await coach.hasPractice();
  const person = await coach.knows("Idun Marek", "2002-02-11", "female");
  await coach.stands([person], "push-up", { rule: "cadence_20", style: "toes", depth: "floor" }, { cadence: 40 });
  await page.keyboard.press("Space");
  const beat = page.getByRole("figure", { name: /a minute/ });
  await expect(beat).toContainText("20 a minute");
  await expect(beat).toContainText("2 s");
  await expect(beat).toContainText("1 s");
  await expect(page.getByRole("button", { name: /One more/ })).toBeEnabled();
  for (let k = 0; k < 5; k++) await page.keyboard.press("Space");
  await expect(page.locator(".figure")).toHaveText(/^5/);
  for (let k = 0; k < 3; k++) await page.keyboard.press("u");
  await expect(page.locator(".figure")).toHaveText(/^2/);
  await page.keyboard.press("m");
  await page.keyboard.press("m");
  await expect(page.getByRole("button", { name: /Missed the beat, 2 of 3/ })).toBeVisible();
  await page.keyboard.press("Space");
  for (let k = 0; k < 3; k++) await page.keyboard.press("m");
  await expect(page.getByRole("button", { name: /One more/ })).toBeDisabled();
  await page.keyboard.press("Space");
  await expect(page.locator(".figure")).toHaveText(/^3/);
  await page.getByRole("button", { name: /Save result/ }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText("20 a minute to the beat").first()).toBeVisible();
});

test("a set of twelve tells nothing: the next load is proposed, and the heavier set is the result", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Anton Vieru", "2000-02-11", "male");
  await coach.stands([person], "reps-to-fatigue", { lift: "bench_press", warm_up: true });
  await page.keyboard.press("Space");
  await page.getByRole("textbox", { name: "Load" }).fill("70");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Repetitions" })).toBeVisible();
  for (let k = 0; k < 12; k++) await page.keyboard.press("Space");
  await expect(page.locator(".figure")).toHaveText(/^12/);
  await expect(page.getByText("More than 10 repetitions give no estimate.").first()).toBeVisible();
  await page.getByRole("button", { name: "Set done: heavier load" }).click();
  await expect(page.getByRole("textbox", { name: "Load" })).toHaveValue("77.5");
  await page.getByRole("textbox", { name: "Load" }).fill("80");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Repetitions" })).toBeVisible();
  for (let k = 0; k < 6; k++) await page.keyboard.press("Space");
  await expect(page.locator(".figure")).toHaveText(/^6/);
  await page.getByRole("button", { name: /Save result/ }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText("70 kg × 12: no estimate from more than 10 repetitions").first()).toBeVisible();
});
