/** The main job, end to end, as a coach does it. */
import { execFileSync } from "node:child_process";
import { expect, test } from "./support";

test.use({ rate: 8 });

test(
  "from intake to retest and back: client, readiness, set-up, tapped run, result, retest, second test, verdict, calendar",
  { tag: "@alone" },
  async ({ coach, page, rate }) => {
    test.setTimeout(180_000);
    await coach.hasPractice();
    await coach.adds("Joren Askvik");
    await coach.isReady();
    await coach.opensPart("Aerobic");
    await expect(page.getByRole("listitem").filter({ hasText: "3-minute bench step" })).toContainText("suits");
    await coach.setsUp();

    await coach.startsTheClock();
    await expect(page.getByRole("heading", { name: "Step", exact: true })).toBeVisible();
    await expect(page.getByText("lead foot: right")).toBeVisible();
    await expect(page.getByText("lead foot: left")).toBeVisible({
      timeout: 20_000,
    });
    await coach.taps(148, rate);
    await coach.countIsDue();
    await expect(page.getByText(/beats tapped/)).toBeVisible();
    await coach.types("37");
    await expect(page.getByRole("heading", { name: "The reading holds" })).toBeVisible();
    await coach.keepsTheResult();

    await expect(page.getByText("VO₂max = 111.33 − 0.42 × 148 = 49.17 mL/kg/min")).toBeVisible();
    await expect(page.getByText("HR = 37 × 60 / 15 = 148 bpm")).toBeVisible();
    await expect(page.getByText("± 1.7 mL/kg/min for one beat in 15 s")).toBeVisible();
    await expect(page.getByText("among men of 30 to 39, measured on a treadmill").first()).toBeVisible();
    await expect(page.getByText("Not made for this client.")).toBeVisible();
    await page.getByRole("button", { name: "Why?" }).first().click();
    await expect(page.getByRole("dialog")).toContainText("none known for this equation");
    await page.keyboard.press("Escape");

    await page.getByRole("textbox", { name: "Weeks", exact: true }).fill("6");
    await expect(page.getByText("in 6 weeks")).toBeVisible();
    await page.getByRole("button", { name: "Save dates" }).click();
    await expect(page.getByText(/in 6 weeks · every 6 weeks/)).toBeVisible();
    await page.getByRole("link", { name: /Joren Askvik’s page/ }).click();
    await page.getByRole("link", { name: "One test" }).click();

    // The first run's clock passed eight times as fast: the second is the later one once real time has caught up.
    await page.waitForTimeout(20_000);
    await coach.setsUp();
    await coach.startsTheClock();
    await coach.countIsDue();
    await coach.types("32");
    await coach.keepsTheResult();
    await expect(page.getByText("clear gain")).toBeVisible();
    await expect(page.getByText(/your VO₂max has gone up from 49.2 to 57.6 mL\/kg\/min: more than the 6.3/)).toBeVisible();
    await page.getByRole("link", { name: "See the trend" }).click();
    await expect(page.getByText("± 6.3 mL/kg/min")).toBeVisible();

    await page.getByRole("link", { name: "Retests" }).click();
    const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("link", { name: "Calendar file" }).click()]);
    const said = execFileSync(
      "/usr/bin/python3",
      [
        "-c",
        "import sys, icalendar; c = icalendar.Calendar.from_ical(open(sys.argv[1], 'rb').read()); print([str(e['summary']) for e in c.walk('VEVENT')][0])",
        await download.path(),
      ],
      { encoding: "utf8" },
    );
    expect(said.trim()).toBe("Retest: Joren Askvik, 3-minute bench step");
  },
);

test("someone new to exercise is led to the low step, and symptoms to no test at all", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.adds("Wilmot Sayle");
  const answer = (label: string, words: string) => page.getByRole("group", { name: label }).getByText(words, { exact: true }).click();
  await answer("Regularly active?", "No");
  await answer("A known disease?", "No");
  await answer("A medicine that lowers the heart rate?", "No");
  await page.getByText("None of them").click();
  await expect(page.getByText("Start with a light to moderate test.")).toBeVisible();
  await page.getByText("Dizzy, or has fainted").click();
  await expect(page.getByText("Do not test today. Ask for medical clearance first.")).toBeVisible();
  await page.getByText("None of them").click();
  await page.getByRole("button", { name: "Save and choose a test" }).click();
  await coach.opensPart("Aerobic");
  await expect(page.getByRole("listitem").first()).toContainText("3-minute low step");
  await page.getByRole("button", { name: /more that are not suitable now/ }).click();
  await page.getByRole("listitem").filter({ hasText: "3-minute bench step" }).getByRole("link").click();
  await expect(
    page.getByText("The bench is vigorous work for someone who does not train yet: choose the 3-minute low step instead"),
  ).toBeVisible();
  await page.getByRole("link", { name: "3-minute low step instead" }).click();
  await expect(page.getByRole("heading", { name: "3-minute low step" })).toBeVisible();
});

test("another bench is named before the test and not compared after it", async ({ coach, page }) => {
  await coach.standsReady();
  await coach.startsTheClock();
  await coach.countIsDue();
  await coach.types("36");
  await coach.keepsTheResult();
  await page.getByRole("link", { name: /’s page/ }).click();
  await page.getByRole("link", { name: "One test" }).click();
  await coach.opensPart("Aerobic");
  await page.getByRole("listitem").filter({ hasText: "3-minute bench step" }).getByRole("link").click();
  await page.getByLabel("Bench height").fill("36");
  await expect(page.getByText("41.3 cm last time.")).toBeVisible();
  await page.getByRole("group", { name: "Was the warm-up done?" }).getByText("No", { exact: true }).click();
  await page.getByRole("button", { name: "Start test" }).click();
  await coach.startsTheClock();
  await coach.countIsDue();
  await coach.types("29");
  await coach.keepsTheResult();
  await expect(page.getByText("not comparable")).toBeVisible();
  await expect(page.getByText("Bench height: 41.3 cm, now 36 cm.")).toBeVisible();
  await expect(page.getByText("Warm-up: yes, now no.")).toBeVisible();
});
