/** Tests in attempts on the floor, one of each kind of taking, by keyboard alone. */
import { test, expect, isClean } from "./support";

test.use({ rate: 4 });

const READY = { warm_up: true };

test("a jump: reach and three tries typed, one crossed out, one slip undone, a wrong number refused with its words", async ({
  coach,
  page,
  server,
}) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.stands([person], "vertical-jump", { ...READY, arms: "swing" });
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Standing reach" })).toBeVisible();
  const field = page.getByRole("textbox", { name: "Standing reach" });
  await field.fill("2,280");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("alert")).toContainText("Type centimetres");
  await field.fill("90 in");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Touch, try 1 of 6" })).toBeVisible();
  for (const touch of ["271", "280", "274,5"]) {
    await page.getByRole("textbox", { name: "Touch" }).fill(touch);
    await page.keyboard.press("Enter");
    await expect(page.getByRole("button", { name: new RegExp(`Touch, try \\d: ${touch.replace(",", ".")}`) })).toBeVisible();
  }
  await page.getByRole("button", { name: "Touch, try 2: 280" }).click();
  await expect(page.getByRole("button", { name: "Touch, try 2: 280, does not count" })).toBeVisible();
  await page.reload();
  await expect(page.getByRole("button", { name: "Touch, try 2: 280, does not count" })).toBeVisible();
  await isClean(page, "the sheet of a jump");
  await page.screenshot({ path: "test-results/jump.png" });
  await page.getByRole("textbox", { name: "Touch" }).focus();
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  expect(result.report.quantities[0].shown).toBe("45.9");
});

test("push-ups by key: styles in one go, one that did not count, a reload in the middle", async ({ coach, page, server }) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.stands([person], "push-up", { rule: "to_failure", style: "mixed", depth: "floor" });
  await page.keyboard.press("Space");
  const figure = page.getByRole("timer");
  await expect(figure).toContainText("on the toes", { timeout: 8000 });
  await expect(page.getByText("One counts when the body stays straight")).toBeVisible();
  for (let n = 1; n <= 6; n++) {
    await page.keyboard.press("Space");
    await expect(figure).toContainText(String(n));
  }
  await page.keyboard.press("x");
  await expect(figure).toContainText("5");
  await page.reload();
  await expect(figure).toContainText("5");
  await expect(page.getByText("1 crossed out")).toBeVisible();
  await page.keyboard.press("2");
  for (let n = 1; n <= 3; n++) {
    await page.keyboard.press("Space");
    await expect(figure).toContainText(String(n));
  }
  await page.screenshot({ path: "test-results/pushup.png" });
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  expect(result.report.quantities[0].shown).toBe("8");
  expect(result.report.quantities[0].norms).toEqual([]);
});

test("stands in thirty seconds against the clock, the half one added after the bell, on a phone", async ({ coach, page }) => {
  await page.setViewportSize({ width: 390, height: 760 });
  await coach.hasPractice();
  const person = await coach.knows("Maud Ellery", "1951-04-02", "female");
  await coach.stands([person], "chair-stand-30s", { chair_cm: 43 });
  await page.getByRole("button", { name: "Start the clock" }).click();
  const more = page.getByRole("button", { name: /One more/ });
  await expect(more).toBeEnabled({ timeout: 8000 });
  for (let n = 1; n <= 5; n++) {
    await more.click();
    await expect(page.getByRole("timer")).toContainText(String(n));
  }
  await page.screenshot({ path: "test-results/chair-390.png" });
  await expect(page.getByText(/left$/)).toBeHidden({ timeout: 15_000 });
  await expect(page.getByRole("heading", { name: "Time is up" })).toBeVisible();
  await page.getByRole("button", { name: /The half one counts/ }).click();
  await expect(page.getByRole("timer")).toContainText("6");
  expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
  await page.getByRole("button", { name: /Save result/ }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText("below the usual range").first()).toBeVisible();
});

test.describe("with minutes of rest", () => {
  test.use({ rate: 8 });

  test("kicks against the clock, then the heart rate at once and after one, two and three minutes, each called", async ({
    coach,
    page,
    rate,
  }) => {
    await coach.hasPractice();
    const person = await coach.knows("Caspian Rell", "1996-02-01");
    await coach.stands(
      [person],
      "kick-recovery-30s",
      { warm_up: true, hr_source: "wrist" },
      { overrule_reason: "trains three times a week" },
    );
    await page.getByRole("button", { name: "Start the clock" }).click();
    const more = page.getByRole("button", { name: /One more/ });
    await expect(more).toBeEnabled({ timeout: 8000 });
    for (let n = 1; n <= 4; n++) await more.click();
    await page.getByRole("button", { name: /Too low/ }).click();
    await expect(page.getByRole("timer")).toContainText("3");
    const read = (name: string, bpm: number) => expect(page.getByRole("button", { name: new RegExp(`^${name}.*: ${bpm}$`) })).toBeVisible();
    // It is there as the heart rate is called, and gone once it is read.
    const pad = page.getByRole("button", { name: /Tap along|tapped along|Count from zero/ });
    // Typed at once, counted after a minute, tapped along after two, typed again after three.
    await page.getByRole("textbox", { name: "Heart rate at once" }).fill("158");
    await page.keyboard.press("Enter");
    await read("Heart rate at once", 158);
    await expect(pad).toBeVisible({ timeout: 20_000 });
    await page.keyboard.press("m");
    await page.screenshot({ path: "test-results/recovery.png" });
    await page.getByRole("textbox", { name: "Beats in 15 s" }).fill("32");
    await page.keyboard.press("Enter");
    await read("After 1 min", 128);
    await page.keyboard.press("m");
    await expect(pad).toBeVisible({ timeout: 20_000 });
    await coach.tapsAlong(112, rate, 1200);
    const offered = page.getByRole("textbox", { name: "After 2 min" });
    await expect(offered).toHaveValue(/^1[01]\d$/);
    // The number offered follows the taps until the last one is in.
    await expect(page.getByText("everything is saved")).toBeVisible();
    const tapped = Number(await offered.inputValue());
    await page.setViewportSize({ width: 390, height: 760 });
    await page.screenshot({ path: "test-results/recovery-390.png" });
    expect(await page.evaluate(() => document.documentElement.scrollWidth)).toBeLessThanOrEqual(390);
    await page.keyboard.press("Enter");
    await read("After 2 min", tapped);
    await expect(pad).toBeVisible({ timeout: 20_000 });
    await page.getByRole("textbox", { name: "After 3 min" }).fill("104");
    await page.keyboard.press("Enter");
    await read("After 3 min", 104);
    await page.getByRole("button", { name: /Save result/ }).click();
    await page.waitForURL(/results\//);
    await expect(page.getByText("30 bpm").first()).toBeVisible();
  });
});

test("a reach of two sides that were swapped: a gap or an overlap is chosen, no sign is typed", async ({ coach, page, server }) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.stands([person], "shoulder-reach", { warm: true });
  await page.keyboard.press("Space");
  for (const [name, value] of [
    ["Hand length", "18,5"],
    ["Gap or overlap, right", "3.5"],
    ["Gap or overlap, left", "1"],
  ] as const) {
    await page.getByRole("textbox", { name }).fill(value);
    await page.keyboard.press("Enter");
    if (name === "Hand length") continue;
    await expect(page.getByRole("alert")).toContainText("Gap or overlap? Press one of the two.");
    await page.getByRole("button", { name: name.endsWith("right") ? "Gap" : "Overlap", exact: true }).click();
    if (name.endsWith("left")) continue;
    // Enter twice saves nothing with one side: the first asks, the second goes on, and what is typed then is in its field.
    const asked = page.getByRole("alertdialog");
    await page.keyboard.press("Enter");
    await expect(asked).toContainText("Gap or overlap, left is missing");
    await page.keyboard.press("Enter");
    await expect(asked).toBeHidden();
    await page.keyboard.type("-1");
    await page.keyboard.press("Enter");
    await expect(page.getByRole("alert")).toContainText("without a sign");
  }
  await expect(page.getByRole("button", { name: "Gap or overlap, left, try 1: overlap 1" })).toBeVisible();
  await page.getByRole("button", { name: "Left and right were swapped" }).click();
  await expect(page.getByRole("button", { name: "Gap or overlap, left, try 1: gap 3.5" })).toBeVisible();
  await page.screenshot({ path: "test-results/reach.png" });
  await page.getByRole("button", { name: /Save result/ }).click();
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  const of = (key: string) => result.report.quantities.find((q: { key: string }) => q.key === key).shown;
  expect([of("gap_cm.left"), of("gap_cm.right"), of("gap_cm.difference")]).toEqual(["gap 3.5", "overlap 1.0", "+4.5"]);
});

test("the heaviest single lift: planned towards what is expected, a rest that is called, a fifth only with a reason", async ({
  coach,
  page,
}) => {
  test.setTimeout(150_000);
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  const set = { ...READY, lift: "bench_press", spotter: true, expected_kg: 100 };
  await coach.stands([person], "one-rm", set, { overrule_reason: "trained lifter" });
  await page.keyboard.press("Space");
  const load = page.getByRole("textbox", { name: "Load, kg" });
  const lifts = page.getByRole("button", { name: /^Load, try \d/ });
  for (const [n, kg] of ["70", "85", "100", "105"].entries()) {
    await expect(load).toHaveValue(kg);
    await page.keyboard.press("m");
    await expect(lifts).toHaveCount(n + 1);
    if (n === 0) await expect(page.getByText("of rest left")).toBeVisible();
  }
  await page.screenshot({ path: "test-results/onerm.png" });
  await expect(page.getByText("No attempt was missed: the maximum is at least 105 kg.")).toBeVisible();
  await page.keyboard.press("m");
  await expect(page.getByText("Give a reason for one more attempt")).toBeVisible();
  await page.getByLabel("Reason for one more attempt").fill("it moved fast");
  await page.getByRole("button", { name: /Missed/ }).click();
  await expect(lifts).toHaveCount(5);
  await page.getByRole("button", { name: /Save result/ }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText(/Heaviest single lift 105 kg/).first()).toBeVisible();
});

test("each leg stood on once, the stopwatch by one key, and a hold that is reloaded", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Maud Ellery", "1961-04-02", "female");
  await coach.stands([person], "one-leg-stance", { eyes: "open" });
  // One key starts the clock of the test and the stopwatch of its first try.
  await page.keyboard.press("Space");
  await expect(page.getByText("It ends with: foot down, or hands off.")).toBeVisible();
  await page.waitForTimeout(1500);
  await page.reload();
  await expect(page.getByText("It ends with: foot down, or hands off.")).toBeVisible();
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: /Time held, left, try 1 of 3/ })).toBeVisible();
  await page.keyboard.press("0");
  await expect(page.getByRole("button", { name: "Time held, left, try 1: 0.0" })).toBeVisible();
  await page.screenshot({ path: "test-results/stance.png" });
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  await expect(page.getByText(/the mean is/i).first()).toBeVisible();
});

test.describe("at the pace of the clock times thirty", () => {
  test.use({ rate: 30 });

  test("a balance that is held to its limit ends by itself with the limit, and the other leg is next", async ({ coach, page }) => {
    await coach.hasPractice();
    const person = await coach.knows("Maud Ellery", "1961-04-02", "female");
    await coach.stands([person], "one-leg-stance", { eyes: "open" });
    await page.keyboard.press("Space");
    await expect(page.getByRole("button", { name: "Time held, right, try 1: 45.0" })).toBeVisible({ timeout: 15_000 });
    await expect(page.getByRole("heading", { name: /Time held, left, try 1 of 3/ })).toBeVisible();
    // Its end is its limit whatever is undone; without its start it did not happen.
    await page.keyboard.press("u");
    await expect(page.getByRole("button", { name: /Undo the start/ })).toBeVisible();
    await page.keyboard.press("u");
    await expect(page.getByRole("button", { name: "Time held, right, try 1: 45.0" })).toBeHidden();
  });

  test("a pulse that was counted in the head is typed at the bell, wherever the last press was", async ({ coach, page }) => {
    await coach.hasPractice();
    const person = await coach.knows("Maud Ellery", "1961-04-02", "female");
    await coach.stands([person], "resting-hr", { posture: "seated", hr_source: "wrist" });
    await page.keyboard.press("Space");
    await expect(page.getByRole("button", { name: /Start 15 seconds/ })).toBeEnabled();
    await page.keyboard.press("Space");
    await expect(page.getByText("15 seconds are over.")).toBeVisible({ timeout: 15_000 });
    await page.keyboard.type("91");
    await page.keyboard.press("Enter");
    await expect(page.getByRole("alert")).toHaveText(/^91 beats\? Most are between [^?]+\. Correct it/);
    await page.keyboard.type("19");
    await expect(page.getByRole("alert")).toBeHidden();
    await page.keyboard.press("Enter");
    await expect(page.getByRole("button", { name: "Beats counted, try 1: 19" })).toBeVisible();
  });
});

test("a squat looked at point by point with the keyboard", async ({ coach, page }) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.stands([person], "air-squat", {});
  await page.keyboard.press("Space");
  for (const key of ["1", "2", "3", "4", "5", "5"]) await page.keyboard.press(key);
  await expect(page.getByRole("button", { name: /Heels down not met/ })).toBeVisible();
  // What was judged and not saved is there again after a reload.
  await page.reload();
  await expect(page.getByRole("button", { name: /Heels down not met/ })).toBeVisible();
  await expect(page.getByRole("button", { name: /not judged/ })).toHaveCount(0);
  await page.keyboard.press("Enter");
  await expect(page.getByText("4 of 5").first()).toBeVisible();
  await page.getByRole("textbox", { name: /Rating/ }).fill("4");
  await page.reload();
  await expect(page.getByRole("textbox", { name: /Rating/ })).toHaveValue("4");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("heading", { name: "Everything is there" })).toBeVisible();
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  await expect(page.getByText(/Points met 4/).first()).toBeVisible();
});

test("tries, sides and points are typed in afterwards as people write them; what is none says what is expected", async ({
  coach,
  page,
  server,
}) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.opens(`/people/${person}/enter/shoulder-reach`);
  await page.getByRole("textbox", { name: "Gap or overlap, right, try 1" }).fill("−3,5");
  await page.getByRole("radiogroup", { name: "Gap or overlap, right, try 1: gap or overlap" }).getByText("gap", { exact: true }).click();
  await page.getByRole("textbox", { name: "Gap or overlap, right, try 2" }).fill("x");
  await page.getByRole("textbox", { name: "Gap or overlap, left, try 1" }).fill("a lot");
  await page.getByRole("group", { name: "Were the shoulders warmed up?" }).getByText("Yes", { exact: true }).click();
  await page.getByRole("button", { name: "Save result" }).click();
  await expect(page.getByRole("alert")).toContainText("type the length without a sign, and choose gap or overlap");
  await page.getByRole("textbox", { name: "Gap or overlap, right, try 1" }).fill("3,5");
  await page.getByRole("button", { name: "Save result" }).click();
  await expect(page.getByRole("alert")).toContainText("“a lot” is no number here. Type centimetres such as 92.5, or inches such as 36 in.");
  await page.getByRole("textbox", { name: "Gap or overlap, left, try 1" }).fill("0.5 in");
  await page.getByRole("button", { name: "Save result" }).click();
  await expect(page.getByRole("alert")).toContainText("gap or overlap? Choose one.");
  await page.getByRole("radiogroup", { name: "Gap or overlap, left, try 1: gap or overlap" }).getByText("overlap", { exact: true }).click();
  await isClean(page, "the entry of a sheet");
  await page.getByRole("button", { name: "Save result" }).click();
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  const of = (key: string) => result.report.quantities.find((q: { key: string }) => q.key === key).value;
  expect(of("gap_cm.right")).toBe(-3.5);
  expect(of("gap_cm.left")).toBeCloseTo(1.27, 6);
  await coach.opens(`/people/${person}/enter/air-squat`);
  for (const point of ["Chest up", "Neutral spine", "Hips below the knees", "Knees over the toes"])
    await page.getByRole("radiogroup", { name: point }).getByText("met", { exact: true }).click();
  await page.getByRole("radiogroup", { name: "Heels down" }).getByText("not met").click();
  await page.getByRole("button", { name: "Save result" }).click();
  await page.waitForURL(/results\//);
  await expect(page.getByText(/Points met 4/).first()).toBeVisible();
});

test("hops each way against ten seconds of their own, with a key for a line touched", async ({ coach, page, server }) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.stands([person], "quadrant-hop", READY);
  await page.keyboard.press("Space");
  const figure = page.getByRole("timer");
  for (const [side, hops] of [
    ["clockwise", 6],
    ["counter", 4],
  ] as const) {
    await expect(page.getByRole("heading", { name: `Hops, ${side}` })).toBeVisible({ timeout: 20_000 });
    await expect(page.getByRole("button", { name: /Start 10 seconds/ })).toBeEnabled();
    await page.keyboard.press("Space");
    await expect(page.getByRole("button", { name: /One more/ })).toBeEnabled();
    for (let n = 1; n <= hops; n++) await page.keyboard.press("Space");
    if (side === "clockwise") await page.keyboard.press("1");
    await expect(figure).toContainText(new RegExp(`^\\s*${hops}\\b`));
    if (side === "clockwise") {
      await expect(figure).toContainText("lines touched 1");
      await page.screenshot({ path: "test-results/hops.png" });
    }
  }
  await expect(page.getByRole("button", { name: /Save result/ })).toBeVisible({ timeout: 10_000 });
  await isClean(page, "hops each way");
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  const score = result.report.quantities.find((q: { key: string }) => q.key === "score");
  expect(score.value).toBe(4.75);
});

test("a circuit: one start, then a key a round", async ({ coach, page, server }) => {
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane", "1999-04-02");
  await coach.stands([person], "circuit-3-rounds", { ...READY, circuit: "ten of each" });
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Round, try 1 of 3" })).toBeVisible();
  for (const round of [1, 2, 3]) {
    await expect(page.getByRole("timer")).toContainText(/^\s*[5-9]\.\d/, { timeout: 10_000 });
    await page.keyboard.press("Space");
    await expect(page.getByRole("button", { name: new RegExp(`Round, try ${round}:`) })).toBeVisible();
  }
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  const time = result.report.quantities.find((q: { key: string }) => q.key === "time_s");
  expect(time.value).toBeGreaterThan(15);
  expect(time.value).toBeLessThan(40);
});
