/** Many on one clock: names at the line and times first, lanes that start again and again, holds and counts that end one by one. */
import { randomUUID } from "node:crypto";
import { expect, isClean, test, type Coach } from "./support";
import type { Page } from "@playwright/test";

const NAMES = ["Odd Varga", "Ines Askvik", "Ulf Terran", "Senna Moor", "Pia Dahl", "Rafe Onslow", "Mirre Holm", "Kaspar Wyn"];

/** A group visit of one test, everybody here and ready; its page is open. */
async function visit(coach: Coach, page: Page, battery: string, conditions: object, many: number) {
  await coach.hasPractice();
  const api = `${coach.server.url}/api`;
  const group = randomUUID();
  await page.request.put(`${api}/groups/${group}`, { data: { name: "Sabre squad" } });
  const people: string[] = [];
  for (const [k, name] of NAMES.slice(0, many).entries()) {
    people.push(await coach.knows(name, "1999-05-04"));
    await page.request.post(`${api}/groups/${group}/members`, { data: { id: randomUUID(), person: people[k], number: String(k + 1) } });
    const answers = { regularly_active: true, known_disease: false, symptoms: [], rate_limiting_drug: false };
    await page.request.post(`${api}/people/${people[k]}/readiness`, { data: { answers } });
  }
  const form = { id: randomUUID(), battery, conditions };
  const begun = await page.request.post(`${api}/groups/${group}/visits`, { data: form });
  expect(begun.ok(), await begun.text()).toBeTruthy();
  await page.request.put(`${api}/group-visits/${form.id}/roll`, {
    data: { people: people.map((person) => ({ person, presence: "here" })) },
  });
  await coach.opens(`/group-visits/${form.id}`);
  return { id: form.id, people, api };
}
const tile = (page: Page, name: string) => page.locator(".tile").filter({ hasText: name });
const RUN = { warm_up: true, wind: "none", wet: false };

test.describe("one start, many finishes", () => {
  test.use({ rate: 60 });
  test("eight runners by name taps and by times first, on two devices", async ({ coach, page, browser }) => {
    const { id, people, api } = await visit(coach, page, "shuttle-1200m", RUN, 8);
    await page.getByRole("button", { name: "Start 8 on one clock" }).click();
    await page.waitForURL(/runs\//);
    const other = await (await browser.newContext({ storageState: await page.context().storageState() })).newPage();
    await other.goto(page.url());
    await page.keyboard.press("Space");
    await expect(page.getByRole("button", { name: /^Record a time/ })).toBeVisible();
    // A tap far too soon is asked about, and was a slip.
    await tile(page, "Odd Varga").click();
    await page.getByRole("alertdialog").getByRole("button", { name: "No, a slip" }).click();
    // One sets off later than the others.
    await page.getByRole("button", { name: "Start somebody later" }).click();
    await tile(page, "Kaspar Wyn").click();
    await page.getByRole("button", { name: "Tap who sets off now" }).click();
    await expect(tile(page, "Kaspar Wyn")).toContainText("set off at");
    await page.waitForTimeout(4600);
    await tile(page, "Odd Varga").click();
    await expect(tile(page, "Odd Varga")).toContainText("1st");
    // Whoever crosses: a time; its name afterwards, by number. On the other device another.
    await page.keyboard.press("Space");
    await page.keyboard.press("Space");
    await tile(other, "Ulf Terran").click();
    await expect(tile(page, "Ulf Terran")).toContainText(/\d:\d\d\.\d/);
    await expect(page.getByText("Times without a name")).toBeVisible();
    await page.getByLabel("No.", { exact: true }).fill("2");
    await page.keyboard.press("Enter");
    await expect(tile(page, "Ines Askvik")).toContainText(/\d:\d\d\.\d/);
    await isClean(page, "a finish line");
    await page.reload();
    await expect(page.locator(".times li")).toHaveCount(1);
    // What this screen said is taken back after a reload too.
    await expect(page.getByLabel("No.", { exact: true })).toBeFocused();
    await page.keyboard.press("u");
    await expect(page.locator(".times li")).toHaveCount(2);
    await expect(tile(page, "Ines Askvik")).toContainText("first time");
    for (const number of ["2", "4"]) {
      await page.getByLabel("No.", { exact: true }).fill(number);
      await page.keyboard.press("Enter");
    }
    await expect(page.locator(".times")).toHaveCount(0);
    // A second tap on one who has a time: somebody else crossed.
    await tile(page, "Odd Varga").click();
    await page.getByRole("alertdialog").getByRole("button", { name: "Save a time without a name" }).click();
    await page.getByLabel("No.", { exact: true }).fill("5");
    await page.keyboard.press("Enter");
    await expect(tile(page, "Pia Dahl")).toContainText(/\d:\d\d\.\d/);
    await page.keyboard.press("o");
    await tile(page, "Rafe Onslow").click();
    await page.getByRole("button", { name: "Pain or symptoms" }).click();
    await expect(tile(page, "Rafe Onslow")).toContainText("out: pain or symptoms");
    await tile(page, "Mirre Holm").click();
    await tile(page, "Kaspar Wyn").click();
    await expect(tile(page, "Kaspar Wyn")).toContainText(/\d:\d\d\.\d/);
    // A time is left without a name: said before it is lost.
    await page.keyboard.press("Space");
    await page.getByRole("button", { name: "Save all results" }).click();
    await expect(page.getByText("1 time has no name and will be lost.")).toBeVisible();
    await page.getByRole("button", { name: "Save without this time" }).click();
    await page.waitForURL(`**/group-visits/${id}`);
    await expect(page.getByText("7 of 8 done")).toBeVisible();
    // Each one's own result; who was out has none that scores.
    const of = async (k: number) => (await (await page.request.get(`${api}/people/${people[k]}`)).json()).measures;
    expect((await of(0)).length).toBeGreaterThan(0);
    expect(await of(5)).toEqual([]);
  });
});

test.describe("starts again and again", () => {
  test.use({ rate: 12 });
  test("ten starts on four lanes, by the lanes’ keys", async ({ coach, page }) => {
    const { id } = await visit(coach, page, "sprint-repeat-10x40s", { ...RUN, course_m: 40 }, 4);
    await page.getByRole("button", { name: "Start 4 on one clock" }).click();
    await page.waitForURL(/runs\//);
    await page.keyboard.press("Space");
    await expect(tile(page, "Odd Varga")).toContainText("0 of 10");
    for (let start = 1; start <= 10; start++) {
      // Ten seconds on the line, then a start every forty; a sprint takes six and more.
      await page.waitForFunction(
        (ms) => {
          const [, min, sec] = /(\d+):(\d+)/.exec(document.querySelector(".figures")!.textContent!)!;
          const left = Number(min) * 60 + Number(sec);
          return document.querySelector(".clock")!.textContent!.includes("Sprints") && 440 - left >= ms;
        },
        40 * (start - 1) + 7,
        { polling: 10 },
      );
      for (const lane of "1234") await page.keyboard.press(lane);
      await expect(tile(page, "Senna Moor")).toContainText(`${start} of 10`);
    }
    await expect(tile(page, "Odd Varga")).toContainText("10 of 10");
    await page.getByRole("button", { name: "Save all results" }).click();
    await page.waitForURL(`**/group-visits/${id}`);
    await expect(page.getByText("4 of 4 done")).toBeVisible();
  });
});

test.describe("each ends alone", () => {
  test.use({ rate: 8 });
  test("holds end one by one, and a count is typed name by name when its minute is over", async ({ coach, page }) => {
    const { id } = await visit(coach, page, "plank", { support: "forearm", limit_s: "to_failure" }, 3);
    await page.getByRole("button", { name: "Start 3 on one clock" }).click();
    await page.waitForURL(/runs\//);
    await page.keyboard.press("Space");
    await page.waitForTimeout(2500);
    await tile(page, "Ines Askvik").click();
    await expect(tile(page, "Ines Askvik")).toContainText(/\d s/);
    await expect(tile(page, "Odd Varga")).not.toContainText(/\d s/);
    await page.waitForTimeout(1000);
    await tile(page, "Odd Varga").click();
    await tile(page, "Ulf Terran").click();
    await tile(page, "Ulf Terran").click();
    await expect(page.getByText("3 done")).toBeVisible();
    await page.getByRole("button", { name: "Save all results" }).click();
    await page.waitForURL(`**/group-visits/${id}`);
    await expect(page.getByText("3 of 3 done")).toBeVisible();
  });
});

test.describe("a count of half a minute", () => {
  // Two taps fit into it on a machine that stalls for seconds, too.
  test.use({ rate: 2 });
  test("chair stands of three: taps count, numbers are typed after the bell, a slip is asked about", async ({ coach, page }) => {
    const { id } = await visit(coach, page, "chair-stand-30s", { chair_cm: 43 }, 3);
    await page.getByRole("button", { name: "Start 3 on one clock" }).click();
    await page.waitForURL(/runs\//);
    await page.keyboard.press("Space");
    await page.waitForFunction(
      () =>
        document.querySelector(".board")!.textContent!.includes("going") &&
        !/On the|Get|Ready/.test(document.querySelector(".clock")!.textContent!),
      undefined,
      { polling: 20 },
    );
    await page.waitForTimeout(400);
    await tile(page, "Odd Varga").click();
    await tile(page, "Odd Varga").click();
    await expect(tile(page, "Odd Varga")).toContainText("2");
    await expect(page.locator("#board-value")).toBeVisible({ timeout: 30_000 });
    const types = async (no: string, value: string) => {
      await page.keyboard.type(no);
      await page.keyboard.press("Enter");
      await expect(page.locator("#board-value")).toBeFocused();
      await page.keyboard.type(value);
      await page.keyboard.press("Enter");
    };
    await page.getByLabel("No.", { exact: true }).focus();
    await types("1", "14");
    await expect(page.getByLabel("No.", { exact: true })).toBeFocused();
    await types("2", "80");
    await expect(page.getByRole("alert")).toContainText("80");
    await page.keyboard.type("16");
    await page.keyboard.press("Enter");
    await expect(tile(page, "Ines Askvik")).toContainText("16");
    await types("3", "11");
    await page.getByRole("button", { name: "Save all results" }).click();
    await page.waitForURL(`**/group-visits/${id}`);
    await expect(page.getByText("3 of 3 done")).toBeVisible();
  });
});

test.describe("a minute with nothing after it", () => {
  test.use({ rate: 6 });
  test("when it is over the phone says so and takes a number, and a tap on a name counts no more", async ({ coach, page, browser }) => {
    const conditions = { rule: "one_minute", style: "toes", depth: "floor" };
    const { id, api } = await visit(coach, page, "push-up", conditions, 2);
    const code = (await (await page.request.get(`${api}/group-visits/${id}`)).json()).join_code as string;
    await page.getByRole("button", { name: "Start 2 on one clock" }).click();
    await page.waitForURL(/runs\//);
    const phone = await (await browser.newContext({ viewport: { width: 390, height: 800 } })).newPage();
    await phone.goto(`${coach.server.url}/join/${code}`);
    await phone.getByRole("button", { name: "Odd Varga" }).click();
    await page.keyboard.press("Space");
    await phone.getByRole("button", { name: "One more" }).click();
    await expect(phone.getByText("Time is up")).toBeVisible({ timeout: 30_000 });
    await expect(phone.getByRole("button", { name: "One more" })).toHaveCount(0);
    await phone.getByLabel("Another number?").fill("17");
    await phone.getByRole("button", { name: "Send" }).click();
    await expect(tile(page, "Odd Varga")).toContainText("17");
    await tile(page, "Ines Askvik").click();
    await expect(page.locator("#board-value")).toBeFocused();
    await page.keyboard.type("21");
    await page.keyboard.press("Enter");
    await expect(tile(page, "Ines Askvik")).toContainText("21");
    await page.getByRole("button", { name: "Save all results" }).click();
    await page.waitForURL(`**/group-visits/${id}`);
    await expect(page.getByText("2 of 2 done")).toBeVisible();
  });
});

test.describe("a lesson’s code", () => {
  test.use({ rate: 4 });
  test("phones under one code: cadence push-ups in each one’s own style, one stopped alone, then reach", async ({
    coach,
    page,
    browser,
  }) => {
    await coach.hasPractice();
    const battery = {
      id: "",
      name: "Two stations",
      summary: "",
      photos: false,
      tests: [{ protocol: "push-up" }, { protocol: "sit-reach" }],
    };
    const own = randomUUID();
    const kept = await page.request.put(`${coach.server.url}/api/batteries/${own}`, { data: battery });
    expect(kept.ok(), await kept.text()).toBeTruthy();
    const conditions = { rule: "cadence_20", style: "toes", depth: "elbows_90", warm_up: true };
    const { id, people, api } = await visit(coach, page, `own-${own.replaceAll("-", "")}`, { ...conditions, variant: "wall_gap" }, 6);
    // One of them does it on the knees.
    const shown = await (await page.request.get(`${api}/group-visits/${id}`)).json();
    const line = shown.roll.find((l: { name: string }) => l.name === "Ulf Terran");
    await page.request.put(`${api}/groups/${shown.group}/members/${line.member}/set-up`, { data: { conditions: { style: "knees" } } });
    await page.reload();
    const code = shown.join_code as string;
    await expect(page.getByText(`${code.slice(0, 4)} ${code.slice(4)}`)).toBeVisible();

    // Two phones join before anything runs, and wait.
    const phone = async () => {
      const tab = await (await browser.newContext({ viewport: { width: 390, height: 800 } })).newPage();
      await tab.goto(`${coach.server.url}/join`);
      await tab.getByLabel(/The code/).fill(code.toLowerCase());
      await tab.getByRole("button", { name: "Join" }).click();
      await expect(tab.getByText("No test runs at the moment")).toBeVisible();
      return tab;
    };
    const [first, second] = [await phone(), await phone()];
    await page.getByRole("button", { name: "Start 6 on one clock" }).first().click();
    await page.waitForURL(/runs\//);
    await first.getByRole("button", { name: "Odd Varga" }).click();
    await second.getByRole("button", { name: "Ulf Terran" }).click();
    await page.keyboard.press("Space");
    await isClean(second, "a partner’s phone");
    const more = (tab: Page) => tab.getByRole("button", { name: "One more" });
    for (let k = 0; k < 4; k++) await more(first).click();
    for (let k = 0; k < 5; k++) await more(second).click();
    await second.reload();
    await more(second).click();
    await expect(second.locator(".total")).toHaveText("6");
    await expect(tile(page, "Odd Varga")).toContainText("4");
    await expect(tile(page, "Ulf Terran")).toContainText("6");
    // Three beats missed in a row end one count, on a phone without a network too; the others go on. A phone sees nobody else’s.
    await first.context().setOffline(true);
    for (let k = 0; k < 3; k++) await first.getByRole("button", { name: "Missed a beat" }).click();
    await expect(first.getByText("3 missed in a row: over at 4.")).toBeVisible();
    await first.context().setOffline(false);
    await expect(tile(page, "Odd Varga")).toContainText("3 missed in a row");
    await expect(first.getByText("Ulf Terran")).toHaveCount(0);
    // The coach stops one alone, and types who had no phone.
    await page.keyboard.press("o");
    await tile(page, "Pia Dahl").click();
    await page.getByRole("button", { name: "Fatigue" }).click();
    for (const [no, value] of [
      ["2", "15"],
      ["4", "12"],
      ["6", "9"],
    ]) {
      await page.getByLabel("No.", { exact: true }).fill(no!);
      await page.keyboard.press("Enter");
      await page.keyboard.type(value!);
      await page.keyboard.press("Enter");
      await expect(page.getByLabel("No.", { exact: true })).toBeFocused();
    }
    await page.getByRole("button", { name: "Save all results" }).click();
    await page.waitForURL(`**/group-visits/${id}`);
    await expect(page.getByText("5 of 6 done")).toBeVisible();
    const of = async (k: number) => {
      const { measures } = await (await page.request.get(`${api}/people/${people[k]}`)).json();
      return (await page.request.get(`${api}/results/${measures[0].last.result}`)).text();
    };
    expect(await of(0)).toContain("on the toes");
    expect(await of(2)).toContain("on the knees");

    // The next test comes up on the phones by itself, for the same person.
    await page.getByRole("button", { name: "Record tries of 6" }).last().click();
    await page.waitForURL(/runs\//);
    await page.keyboard.press("Space");
    await expect(first.getByText("You count for Odd Varga")).toBeVisible({ timeout: 15_000 });
    const reach = first.getByLabel(/Distance/);
    await reach.fill("7");
    await first.getByRole("button", { name: /^Short of/ }).click();
    await expect(page.getByRole("row").filter({ hasText: "Odd Varga" })).toContainText("7");
  });
});
