/** The desk: founding a practice, keeping people, retests, the library, the practice itself. */
import { expect, test } from "./support";

test("a solo trainer's first day: set up the practice, add a client, stand ready", async ({ coach, page }) => {
  await coach.opens("/");
  await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await page.getByRole("link", { name: "Set up your practice" }).click();
  await page.getByLabel("Practice").fill("Sluice Gym");
  await page.getByLabel("Your name").fill("Mira Sand");
  await page.getByLabel("Email address").fill("mira@example.org");
  await page.getByLabel("Password").fill("short");
  await page.getByRole("button", { name: "Begin" }).click();
  await expect(page.getByText("Choose a password of 10 to 256 characters.")).toBeVisible();
  await expect(page.getByLabel("Practice")).toHaveValue("Sluice Gym");
  await page.getByLabel("Password").fill("long enough for now");
  await page.getByRole("button", { name: "Begin" }).click();
  await expect(page.getByRole("heading", { name: "New client" })).toBeVisible();
  await page.getByRole("link", { name: "Today" }).click();
  await expect(page.getByText("Nobody is here yet. Add your first client.")).toBeVisible();
  await page.getByRole("button", { name: "Sign out" }).click();
  await expect(page.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await page.getByLabel("Email address").fill("mira@example.org");
  await page.getByLabel("Password").fill("wrong password");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByText("Email address and password do not match.")).toBeVisible();
  await page.getByLabel("Password").fill("long enough for now");
  await page.getByRole("button", { name: "Sign in" }).click();
  await expect(page.getByText("Nobody is here yet.")).toBeVisible();
});

test("readiness that a visit asks for leads back to the visit, and what was typed there still stands", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.adds("Maud Ellery");
  await page.goto(page.url().replace("/readiness", "/visits/new?battery=four-in-five-minutes"));
  await page.getByLabel("Clothes and shoes").fill("shorts, barefoot");
  await page.getByRole("link", { name: "Ask now" }).click();
  await coach.answersForReadiness();
  await page.getByRole("button", { name: "Save and continue" }).click();
  await expect(page.getByRole("heading", { name: "Four in five minutes" })).toBeVisible();
  await expect(page.getByLabel("Clothes and shoes")).toHaveValue("shorts, barefoot");
  await expect(page.getByText("Readiness has not been asked today.")).toBeHidden();
  await expect(page.getByText("The legs have rested while the arms and the trunk held.")).toBeVisible();
});

test("two coaches change the same client: the second is told and loses nothing", async ({ coach, page, context }) => {
  await coach.hasPractice();
  await coach.adds("Ilse Varga");
  await page.goto(page.url().replace("/readiness", "/edit"));
  await expect(page.getByLabel("Name", { exact: true })).toHaveValue("Ilse Varga");
  const other = await context.newPage();
  await other.goto(page.url());
  await other.getByLabel("Occupation or sport").fill("lock keeper");
  await other.getByRole("button", { name: "Save" }).click();
  await expect(other.getByText("lock keeper")).toBeVisible();
  await page.getByLabel("Notes").fill("prefers mornings");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("Someone else has changed this in the meantime.")).toBeVisible();
  await expect(page.getByLabel("Notes")).toHaveValue("prefers mornings");
});

test("a client without a sex on record: the beat is chosen, the rate is kept, the estimate is refused with its reason", async ({
  coach,
  page,
}) => {
  await coach.hasPractice();
  await coach.opens("/people/new");
  await page.getByLabel("Name", { exact: true }).fill("Wilmot Sayle");
  await page.getByLabel("Birth date").fill("1992-02-29");
  await page.getByRole("button", { name: "Save and check readiness" }).click();
  await coach.isReady();
  await coach.opensPart("Aerobic");
  await page.getByRole("listitem").filter({ hasText: "3-minute bench step" }).getByRole("link").click();
  await page.getByLabel("Bench height").fill("4 m");
  await page.getByRole("group", { name: "Was the warm-up done?" }).getByText("Yes", { exact: true }).click();
  await page.getByText("at the neck").click();
  await page.getByRole("button", { name: "Start test" }).click();
  await expect(page.getByText("Bench height: type a number in cm.")).toBeVisible();
  await page.getByLabel("Bench height").fill("400");
  await page.getByRole("button", { name: "Start test" }).click();
  await expect(page.getByText("Bench height must be between 10 and 60 cm; 400 was given.")).toBeVisible();
  await page.getByLabel("Bench height").fill("41,3");
  await page.getByRole("button", { name: "Start test" }).click();
  await expect(page.getByText("Choose the beat")).toBeVisible();
  await page.getByText("88 a minute").click();
  await page.getByRole("button", { name: "Start test" }).click();
  await coach.startsTheClock();
  await coach.countIsDue();
  await coach.types("31");
  await coach.keepsTheResult();
  await expect(page.getByText("Recovery heart rate 124 bpm.")).toBeVisible();
  await expect(page.getByText("This equation is printed separately for men and women.")).toBeVisible();
});

test("advice overruled with a reason opens the test and is kept", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.adds("Rurik Dane");
  const answer = (label: string, words: string) => page.getByRole("group", { name: label }).getByText(words, { exact: true }).click();
  await answer("Regularly active?", "Yes");
  await answer("A known disease?", "Yes");
  await answer("Cleared by a doctor?", "No");
  await answer("A medicine that lowers the heart rate?", "No");
  await page.getByText("None of them").click();
  await page.getByLabel("Upper value, mmHg").fill("142");
  await page.getByLabel("Lower value, mmHg").fill("88");
  await expect(page.getByText("vigorous needs a clearance from the last 12 months")).toBeVisible();
  await expect(page.getByRole("button", { name: "Overrule and go on" })).toBeDisabled();
  await page.getByLabel("Test against this advice?").fill("cleared by phone this morning");
  await page.getByRole("button", { name: "Overrule and go on" }).click();
  await page.getByRole("button", { name: /more that are not suitable now/ }).click();
  await coach.opensPart("Aerobic");
  await page.getByRole("listitem").filter({ hasText: "3-minute bench step" }).getByRole("link").click();
  await expect(page.getByLabel("Why this test all the same?")).toHaveValue("cleared by phone this morning");
});

test.describe("with the demo", () => {
  test.use({ demo: true });

  test("a retest is skipped with a reason and taken back", async ({ coach, page }) => {
    await coach.signsInToDemo();
    await coach.opens("/retests");
    await page
      .getByRole("button", { name: /Skip Linnea Ostrow/ })
      .first()
      .click();
    await expect(page.getByRole("button", { name: "Skip it" })).toBeDisabled();
    await page.getByRole("dialog").getByLabel("Why?").fill("away at a meet");
    await page.getByRole("button", { name: "Skip it" }).click();
    const line = page.getByRole("listitem").filter({ hasText: "away at a meet" });
    await expect(line).toContainText("skipped");
    await line.getByRole("button", { name: "Take back" }).click();
    await expect(page.getByRole("button", { name: /Skip Linnea Ostrow/ })).toHaveCount(2);
    await expect(page.getByText(/done \d+ days? late/).first()).toBeVisible();
  });

  test("a test is found by the author of its publication, and every page says who says so", async ({ coach, page }) => {
    await coach.signsInToDemo();
    await coach.opens("/tests");
    await page.getByLabel("Find a test").fill("mcardle 1972");
    await expect(page.getByRole("listitem")).toHaveCount(1);
    await page.getByRole("link", { name: /3-minute bench step/ }).click();
    await expect(page.getByText("VO₂max = 111.33 − 0.42 × HR (men)")).toBeVisible();
    await expect(page.getByText("published, recalled").first()).toBeVisible();
    await expect(page.getByText("common practice").first()).toBeVisible();
  });

  test("the practice is renamed, a coach is added, and the audit says who did it", async ({ coach, page }) => {
    await coach.signsInToDemo();
    await coach.opens("/practice");
    await page.getByLabel("Name").first().fill("Tidewater House");
    await page.getByLabel("Time zone").fill("Atlantis/Sunk");
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByText("Choose a time zone by its region and city")).toBeVisible();
    await page.getByLabel("Time zone").fill("Europe/Lisbon");
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.getByText("Saved.")).toBeVisible();
    await expect(page.getByRole("navigation")).toContainText("Tidewater House");
    await page.getByText("Add a coach").click();
    await page.getByLabel("Name").nth(1).fill("Sol Amadi");
    await page.getByLabel("Email address").fill("sol@tidewater.example");
    await page.getByLabel("First password").fill("a first password");
    await page.getByRole("button", { name: "Add coach" }).click();
    await expect(page.getByText("sol@tidewater.example")).toBeVisible();
    await expect(page.getByText("Runa Okafor-Lindt added a coach")).toBeVisible();
  });

  test("a client on a rate-limiting medicine is led to a test that does not rest on heart rate", async ({ coach, page }) => {
    await coach.signsInToDemo();
    await coach.opens("/");
    await expect(page.getByRole("heading", { name: "Late" })).toBeVisible();
    await page.keyboard.press("/");
    await expect(page.getByRole("searchbox")).toBeFocused();
    await page.keyboard.type("bram");
    await page.keyboard.press("Enter");
    // A fast hand: Enter comes before the answer does.
    await expect(page.getByRole("heading", { name: "Bram Vellacott" })).toBeVisible();
    await expect(page.getByText("Takes a medicine that lowers the heart rate")).toBeVisible();
    await page.goto(`${page.url()}/assess`);
    await page.getByRole("button", { name: /more that are not suitable now/ }).click();
    await coach.opensPart("Aerobic");
    await expect(page.getByRole("listitem").filter({ hasText: "3-minute bench step" })).toContainText(
      "A medicine that lowers the heart rate makes every estimate from heart rate invalid: choose the 6-minute walk instead.",
    );
    await expect(page.getByRole("listitem").filter({ hasText: "6-minute walk" }).filter({ hasText: "Set up" })).toHaveCount(1);
  });
});

test("the low step: sit at once, a full minute, a category and no VO₂max", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.adds("Odile Fenn");
  await coach.isReady();
  await coach.opensPart("Aerobic");
  await page.getByRole("listitem").filter({ hasText: "3-minute low step" }).getByRole("link").click();
  await expect(page.getByText("A chair right behind the client")).toBeVisible();
  await expect(page.getByLabel("Bench height")).toHaveValue("30.5");
  await page.getByRole("group", { name: "Was the warm-up done?" }).getByText("Yes", { exact: true }).click();
  await page.getByRole("radiogroup").getByText("at the wrist").click();
  await page.getByRole("button", { name: "Start test" }).click();
  await coach.startsTheClock();
  await expect(page.getByRole("img", { name: /Sit down. Find the pulse, Count/ })).toBeVisible();
  const field = page.getByLabel("Beats in 60 s");
  await expect(field).toBeEnabled({ timeout: 40_000 });
  await field.fill("98");
  await page.keyboard.press("Enter");
  await coach.keepsTheResult();
  await expect(page.getByText("Recovery heart rate 98 bpm: above average among men of 36 to 45.")).toBeVisible();
  await expect(page.getByText("VO₂max")).toHaveCount(0);
});

test("with no network the floor keeps clock, beat and entry going, and sends in order afterwards", async ({ coach, page, context }) => {
  await coach.standsReady();
  await coach.startsTheClock();
  await expect(page.getByRole("heading", { name: "Step", exact: true })).toBeVisible();
  await context.setOffline(true);
  await page.keyboard.press("c");
  await coach.countIsDue();
  await coach.types("29");
  await expect(page.getByText("saved here, 2 to send")).toBeVisible();
  await context.setOffline(false);
  await expect(page.getByText("everything is saved")).toBeVisible({ timeout: 15_000 });
  await expect(page.getByText("29 beats counted")).toBeVisible();
  await expect(page.getByText(/off the beat since/)).toBeVisible();
  await coach.keepsTheResult();
  await expect(page.getByText("HR = 29 × 60 / 15 = 116 bpm")).toBeVisible();
});

test("a practice is exported as a ZIP file and imported into an empty one; what does not fit is named", async ({ coach, page }, info) => {
  await coach.hasPractice();
  await coach.adds("Maud Ellery");
  await coach.opens("/practice");
  const downloading = page.waitForEvent("download");
  await page.getByRole("link", { name: "Export practice (ZIP)" }).click();
  const file = info.outputPath("practice.zip");
  await (await downloading).saveAs(file);
  const choose = page.getByLabel("Import a practice");
  await choose.setInputFiles(file);
  await expect(page.getByText("Import needs an empty practice, and this one has records already.")).toBeVisible();
  await page.getByRole("button", { name: "Sign out", exact: true }).click();
  await page.getByRole("link", { name: "Set up your practice" }).click();
  await page.getByLabel("Practice").fill("Second House");
  await page.getByLabel("Your name").fill("Mira Sand");
  await page.getByLabel("Email address").fill("mira2@example.org");
  await page.getByLabel("Password").fill("long enough for now");
  await page.getByRole("button", { name: "Begin" }).click();
  await expect(page.getByRole("heading", { name: "New client" })).toBeVisible();
  await coach.opens("/practice");
  await choose.setInputFiles({ name: "notes.txt", mimeType: "text/plain", buffer: Buffer.from("no export") });
  await expect(page.getByText("Nothing was imported.")).toBeVisible();
  await choose.setInputFiles(file);
  await expect(page.getByText("Imported 1 client, exactly as in the file.")).toBeVisible();
  await page.getByRole("link", { name: "People" }).click();
  await expect(page.getByText("Maud Ellery")).toBeVisible();
});
