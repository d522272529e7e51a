/** With the network cut before the clock starts: every decision and the result at once, and everything stored once afterwards. */
import { randomUUID } from "node:crypto";
import { readFileSync, writeFileSync } from "node:fs";
import { resolve } from "node:path";
import type { BrowserContext, Page } from "@playwright/test";
import { expect, test, type Coach } from "./support";

/** Stands on the floor of a test, with everything on this screen that it needs, and cuts the line. */
async function cutOff(coach: Coach, context: BrowserContext, page: Page, stands: () => Promise<unknown>) {
  await coach.hasPractice();
  const log = page.waitForResponse((r) => r.url().endsWith("/log"));
  await stands();
  await (await log).finished();
  await page.waitForTimeout(200);
  await context.setOffline(true);
}
const over = (page: Page) => page.getByRole("alertdialog", { name: "Finished, saved on this device" });

test.describe("a cycle", () => {
  test.use({ rate: 10 });
  test("a multistage cycle through a fourth minute to its estimate", async ({ coach, page, context, server }) => {
    test.setTimeout(180_000);
    let run = "";
    await cutOff(coach, context, page, async () => {
      run = await coach.stands([await coach.knows("Rurik Dane")], "multistage-cycle", { warm_up: true, hr_source: "wrist" });
    });
    await page.getByRole("button", { name: "Start the clock" }).click();
    await coach.reads("Heart rate, minute 2", "112");
    await expect(page.getByText("112 at minute 2. The next reading is at minute 3.").first()).toBeVisible();
    await coach.reads("Heart rate, minute 3", "114");
    await expect(page.getByText(/112, then 114: steady, and above 110: stage 1 counts/).first()).toBeVisible();
    await page.getByRole("button", { name: /Load is set/ }).click();
    await expect(page.getByRole("heading", { name: /Stage 2 · 300 kgm\/min/ })).toBeVisible();
    await coach.reads("Heart rate, minute 2", "124");
    await coach.reads("Heart rate, minute 3", "134");
    // What cannot be is refused here, in the server's words.
    await coach.reads("Heart rate, minute 4", "13");
    await expect(page.getByRole("alert").filter({ hasText: /13/ }).first()).toBeVisible();
    await coach.reads("Heart rate, minute 4", "135");
    await expect(page.getByRole("heading", { name: "Test complete" })).toBeVisible();
    await page.getByRole("button", { name: /Save result/ }).click();
    await expect(over(page)).toBeVisible();
    const headline = (await over(page).locator("b").first().textContent())!;
    expect(headline).toMatch(/mL\/kg\/min/);
    await context.setOffline(false);
    await page.waitForURL(/results\//, { timeout: 20_000 });
    const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
    expect(result.report.headline).toBe(headline);
    const view = await (await page.request.get(`${server.url}/api/runs/${run}`)).json();
    expect(view.state.of.stages[1].readings.map((r: { bpm: number }) => r.bpm)).toEqual([124, 134, 135]);
  });
});

test.describe("a hold", () => {
  test.use({ rate: 20 });
  test("a plank with its verdict since last time", async ({ coach, page, context, server }) => {
    const conditions = { support: "forearm", limit_s: "to_failure" };
    await cutOff(coach, context, page, async () => {
      const person = await coach.knows("Maud Ellery", "1993-02-03", "female");
      const typed = { id: randomUUID(), protocol: "plank", on: "2026-06-01", inputs: { seconds: 20 }, conditions };
      const made = await page.request.post(`${server.url}/api/people/${person}/results`, { data: typed });
      expect(made.ok(), await made.text()).toBeTruthy();
      await coach.stands([person], "plank", conditions);
    });
    await page.keyboard.press("Space");
    await expect(page.getByRole("heading", { name: "Hold", exact: true })).toBeVisible({ timeout: 10_000 });
    await page.waitForTimeout(3000);
    await page.keyboard.press("Space");
    await page.getByRole("button", { name: /Save result/ }).click();
    await expect(over(page)).toContainText(/20/);
    const said = (await over(page).locator("li span").last().textContent())!;
    await context.setOffline(false);
    await page.waitForURL(/results\//, { timeout: 20_000 });
    await expect(page.getByText(said).first()).toBeVisible();
  });
});

/** Six of a squad, called to a visit of one test. */
async function sixAreHere(coach: Coach, page: Page, server: { url: string }): Promise<{ visit: string; names: string[] }> {
  const api = `${server.url}/api`;
  const names = ["Odd Varga", "Ines Askvik", "Ulf Terran", "Senna Moor", "Pia Dahl", "Rafe Onslow"];
  const group = randomUUID();
  await page.request.put(`${api}/groups/${group}`, { data: { name: "Sabre squad" } });
  const people: string[] = [];
  for (const [k, name] of names.entries()) {
    people.push(await coach.knows(name));
    await page.request.post(`${api}/groups/${group}/members`, { data: { id: randomUUID(), person: people[k], number: String(k + 1) } });
  }
  const form = { id: randomUUID(), battery: "vertical-jump", conditions: { arms: "swing", warm_up: true } };
  const visit = (await (await page.request.post(`${api}/groups/${group}/visits`, { data: form })).json()).id;
  const roll = people.map((person) => ({ person, presence: "here" }));
  await page.request.put(`${api}/group-visits/${visit}/roll`, { data: { people: roll } });
  return { visit, names };
}

/** Two tries of each on the grid, by number, value and Enter; all saved. */
async function sixJump(page: Page, names: string[]) {
  await page.keyboard.press("Space");
  await expect(page.getByLabel("No.", { exact: true })).toBeFocused();
  for (const [k, name] of names.entries()) {
    for (const value of ["230", `${270 + k}`]) {
      await page.keyboard.type(String(k + 1));
      await page.keyboard.press("Enter");
      await expect(page.locator("#grid-value")).toBeFocused();
      await page.keyboard.type(value);
      await page.keyboard.press("Enter");
      await expect(page.getByLabel("No.", { exact: true })).toBeFocused();
    }
    await expect(page.getByRole("row").filter({ hasText: name })).toContainText(`${40 + k}.0 cm`);
  }
  await page
    .getByRole("button", { name: "Save all results" })
    .or(page.getByRole("button", { name: /^Save 6/ }))
    .click();
  await expect(over(page).getByRole("listitem")).toHaveCount(6);
}

test("a grid of six by keyboard, each one’s best at once", async ({ coach, page, context, server }) => {
  let six = { visit: "", names: [] as string[] };
  await cutOff(coach, context, page, async () => {
    six = await sixAreHere(coach, page, server);
    await coach.opens(`/group-visits/${six.visit}`);
    await page.getByRole("button", { name: "Record tries of 6" }).click();
    await page.waitForURL(/runs\//);
    await expect(page.getByRole("button", { name: /^(Start the clock|Begin)$/ })).toBeVisible();
  });
  await sixJump(page, six.names);
  await context.setOffline(false);
  await page.waitForURL(`**/group-visits/${six.visit}`, { timeout: 20_000 });
  await expect(page.getByText("6 of 6 done")).toBeVisible();
});

test("two devices, both cut off, on one run: the result is the one an undisturbed run would have given, and the change is told", async ({
  coach,
  page,
  context,
  browser,
  server,
}) => {
  let run = "";
  await coach.hasPractice();
  const person = await coach.knows("Rurik Dane");
  run = await coach.stands([person], "vertical-jump", { arms: "swing", warm_up: true });
  const second = await browser.newContext({ storageState: await context.storageState(), serviceWorkers: "block" });
  const other = await second.newPage();
  const log = other.waitForResponse((r) => r.url().endsWith("/log"));
  await other.goto(`${server.url}/runs/${run}`);
  await (await log).finished();
  await page.getByRole("button", { name: "Begin" }).click();
  await coach.reads("Standing reach", "230");
  await coach.reads("Touch", "270");
  await expect(other.getByRole("button", { name: /Touch.*270/ })).toBeVisible();
  await context.setOffline(true);
  await second.setOffline(true);
  // The better jump is seen on the second device alone; then the first one ends the test.
  await other.getByLabel("Touch", { exact: true }).fill("276");
  await other.keyboard.press("Enter");
  await expect(other.getByRole("button", { name: "Touch, try 2: 276" })).toBeVisible();
  await page.getByRole("button", { name: /Save result/ }).click();
  await expect(over(page)).toContainText("40");
  await context.setOffline(false);
  await page.waitForURL(/results\//, { timeout: 20_000 });
  await second.setOffline(false);
  await expect(other.getByRole("alertdialog")).toContainText(/Rurik Dane: the result of Vertical jump has changed/, { timeout: 20_000 });
  const result = await (await page.request.get(`${server.url}/api/results/${page.url().split("/").at(-1)}`)).json();
  expect(result.report.headline).toContain("46");
  expect(result.versions).toHaveLength(1);
  await second.close();
});

test("a browser without WebAssembly has the server’s view", async ({ coach, page }) => {
  await page.addInitScript(() => Reflect.deleteProperty(globalThis, "WebAssembly"));
  await coach.hasPractice();
  await coach.stands([await coach.knows("Rurik Dane")], "vertical-jump", { arms: "swing", warm_up: true });
  await page.keyboard.press("Space");
  await coach.reads("Standing reach", "230");
  await expect(page.getByLabel("Touch", { exact: true })).toBeVisible();
  await expect(page.getByText("everything is saved")).toBeVisible();
});

test.describe("kept on this device", () => {
  test.use({ serviceWorkers: "allow", rate: 8 });

  /** The application and what the next tests need are on this device. */
  const isKept = async (coach: Coach, page: Page) => {
    await coach.opens("/");
    const state = () => page.evaluate(() => navigator.serviceWorker.controller?.state);
    await expect.poll(state, { timeout: 30_000 }).toBe("activated");
    await expect
      .poll(() =>
        page.evaluate(async () =>
          (await Promise.all((await caches.keys()).map(async (k) => (await (await caches.open(k)).keys()).length))).reduce(
            (a, b) => a + b,
            0,
          ),
        ),
      )
      .toBeGreaterThan(60);
  };
  const answers = (page: Page) =>
    page.evaluate(async () =>
      (await (await caches.open("impulso-prepared")).keys()).map((r) => new URL(r.url).pathname + new URL(r.url).search),
    );

  test("a test of a known client is set up, done and shown without a network; after a restart all of it is sent", async ({
    coach,
    page,
    context,
    server,
  }) => {
    await coach.hasPractice();
    await isKept(coach, page);
    const person = await coach.knows("Maud Ellery", "1993-02-03", "female");
    await coach.opens(`/people/${person}/assess/vertical-jump`);
    await expect(page.getByRole("button", { name: "Start test" })).toBeVisible();
    await expect.poll(async () => (await answers(page)).join()).toContain("protocol=vertical-jump&person=");
    // The service worker’s own requests cannot be cut off by the browser: nobody answers any more.
    await server.kill();
    // Loaded anew, without a network.
    await page.reload();
    await expect(page.getByText("No network.")).toBeVisible();
    await page.getByText("arms swing").click();
    // What is missing is asked for here, in the server’s words.
    await page.getByRole("button", { name: "Start test" }).click();
    await expect(page.getByText("An answer is missing: Was the warm-up done?")).toBeVisible();
    await page.getByText("Yes", { exact: true }).click();
    await page.getByRole("button", { name: "Start test" }).click();
    await page.waitForURL(/runs\//);
    await page.getByRole("button", { name: "Begin" }).click();
    await coach.reads("Standing reach", "230");
    await coach.reads("Touch", "271");
    await page.getByRole("button", { name: /Save result/ }).click();
    await expect(over(page)).toContainText("41");
    await over(page).getByRole("link", { name: "Back to Maud Ellery" }).click();
    await expect(page.getByText(/1 test saved on this device, sent when the network is back/)).toBeVisible();
    // The browser is closed and opened again, and only then there is a network.
    await page.close();
    const later = await context.newPage();
    await later.goto(`${server.url}/people/${person}`);
    await expect(later.getByText(/1 test saved on this device/)).toBeVisible();
    await server.start();
    await expect(later.getByText(/saved on this device/)).toBeHidden({ timeout: 25_000 });
    const found = await (await later.request.get(`${server.url}/api/people/${person}`)).json();
    expect(found.tests).toHaveLength(1);
  });

  test("a floor that is loaded anew without a network keeps the run’s clock", async ({ coach, page, server }) => {
    await coach.hasPractice();
    await isKept(coach, page);
    const run = await coach.stands([await coach.knows("Maud Ellery")], "plank", { support: "forearm", limit_s: "to_failure" });
    await page.reload();
    await page.getByRole("button", { name: /^(Start the clock|Begin)$/ }).click();
    const timer = page.getByRole("timer").first();
    const seconds = async () => {
      const [, minutes, rest] = /(?:(\d+):)?([\d.]+)/.exec((await timer.textContent())!)!;
      return 60 * Number(minutes ?? 0) + Number(rest);
    };
    await expect(page.getByRole("heading", { name: "Hold", exact: true })).toBeVisible({ timeout: 10_000 });
    // What the server has of it is kept here every few seconds.
    await page.waitForTimeout(4000);
    await server.kill();
    const before = await seconds();
    await page.waitForTimeout(4000);
    await page.reload();
    await expect(page.getByRole("heading", { name: "Hold", exact: true })).toBeVisible();
    // Four seconds, eight times as fast; the answer that the device kept is older than that.
    expect(await seconds()).toBeGreaterThanOrEqual(before + 32);
    // And it goes on: what is decided here needs nobody.
    await page.keyboard.press("Space");
    await page.getByRole("button", { name: /Save result/ }).click();
    await expect(over(page)).toContainText(/Time held|\d/);
    await server.start();
    await page.waitForURL(/results\//, { timeout: 20_000 });
    // Nothing kept of it says that it goes on.
    await expect.poll(async () => (await answers(page)).join()).not.toContain(`/api/runs/${run}`);
  });

  test("a whole First look without a network: every test, one skipped, the visit closed, and all of it stored once", async ({
    coach,
    page,
    server,
  }) => {
    test.setTimeout(150_000);
    await coach.hasPractice();
    await isKept(coach, page);
    const person = await coach.knows("Rurik Dane", "1999-04-02");
    const visit = randomUUID();
    const begun = { id: visit, battery: "first-look", conditions: { shoes: "none", warm: true } };
    const made = await page.request.post(`${server.url}/api/people/${person}/visits`, { data: begun });
    expect(made.ok(), await made.text()).toBeTruthy();
    await coach.opens(`/visits/${visit}/floor`);
    await expect.poll(async () => (await answers(page)).filter((a) => a.startsWith("/api/prepared")).length).toBe(4);
    await server.kill();

    const begins = async (name: RegExp) => {
      await expect(page.getByRole("heading", { name })).toBeVisible();
      await page.keyboard.press("Space");
      await page.waitForURL(/runs\//);
      await expect(page.getByRole("button", { name: /^(Start the clock|Begin)/ })).toBeVisible();
      await page.keyboard.press("Space");
    };
    const goesOn = async () => {
      await expect(over(page).getByRole("link", { name: "Go on with the visit" })).toBeFocused();
      await page.keyboard.press("Enter");
    };
    await begins(/Toe touch into squat/);
    await expect(page.getByRole("button", { name: /not judged/ }).first()).toBeVisible();
    for (const key of ["1", "2", "3", "4", "5", "5", "6"]) await page.keyboard.press(key);
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: /Save result/ }).click();
    await goesOn();
    await begins(/Knee straightening, lying/);
    for (const angle of ["64", "75"]) {
      await page.getByRole("textbox", { name: /^Angle/ }).fill(angle);
      await page.keyboard.press("Enter");
      await expect(page.getByRole("button", { name: new RegExp(`^Angle.*: ${angle}$`) })).toBeVisible();
    }
    await page.getByRole("button", { name: /Save result/ }).click();
    await goesOn();
    await expect(page.getByRole("heading", { name: "Push-up hand ladder" })).toBeVisible();
    // The browser comes up again where it was.
    await page.reload();
    await expect(page.getByRole("heading", { name: "Push-up hand ladder" })).toBeVisible();
    await page.keyboard.press("l");
    await page.getByLabel("Why is it skipped?").fill("a sore wrist");
    await page.keyboard.press("Enter");
    await begins(/^Plank/);
    await expect(page.getByRole("timer")).toHaveClass(/hot/, { timeout: 10_000 });
    await page.waitForTimeout(1000);
    await page.keyboard.press("Space");
    await page.getByRole("button", { name: /Save result/ }).click();
    await goesOn();
    await page.waitForURL(/visits\/[0-9a-f-]+$/);
    await expect(page.getByText("skipped: a sore wrist")).toBeVisible();
    await page.getByRole("button", { name: "Close the visit" }).click();
    await expect(page.getByText(/3 tests and 2 changes of a visit saved on this device/)).toBeVisible();
    await server.start();
    await expect(page.getByText(/saved on this device/)).toBeHidden({ timeout: 30_000 });
    const stored = await (await page.request.get(`${server.url}/api/visits/${visit}`)).json();
    expect(stored.closed).toBe(true);
    expect(stored.rows.map((r: { stand: string; tries: number }) => [r.stand, r.tries])).toEqual([
      ["done", 1],
      ["done", 1],
      ["skipped", 0],
      ["done", 1],
    ]);
  });

  test("a test of six begun without a network from their group visit", async ({ coach, page, server }) => {
    await coach.hasPractice();
    await isKept(coach, page);
    const { visit, names } = await sixAreHere(coach, page, server);
    await coach.opens(`/group-visits/${visit}`);
    await expect.poll(async () => (await answers(page)).join()).toContain(`group_visit=${visit}`);
    await server.kill();
    await page.getByRole("button", { name: "Record tries of 6" }).click();
    await page.waitForURL(/runs\//);
    await expect(page.getByRole("button", { name: /^(Start the clock|Begin)$/ })).toBeVisible();
    await sixJump(page, names);
    await over(page).getByRole("link", { name: "Back to the group" }).click();
    await expect(page.getByText("6 of 6 done")).toBeVisible();
    await server.start();
    await expect(page.getByText(/saved on this device/)).toBeHidden({ timeout: 25_000 });
    await page.reload();
    await expect(page.getByText("6 of 6 done")).toBeVisible();
  });

  test("what another device did first stands; what was done here is stored beside it and told", async ({ coach, page, server }) => {
    await coach.hasPractice();
    await isKept(coach, page);
    const person = await coach.knows("Rurik Dane", "1999-04-02");
    const visit = randomUUID();
    const form = { id: visit, battery: "vertical-jump", conditions: { arms: "swing", warm_up: true } };
    await page.request.post(`${server.url}/api/people/${person}/visits`, { data: form });
    await coach.opens(`/visits/${visit}/floor`);
    await expect.poll(async () => (await answers(page)).join()).toContain("protocol=vertical-jump&person=");
    await server.kill();
    await page.keyboard.press("Space");
    await page.waitForURL(/runs\//);
    await page.getByRole("button", { name: "Begin" }).click();
    await coach.reads("Standing reach", "230");
    await coach.reads("Touch", "268");
    await page.getByRole("button", { name: /Save result/ }).click();
    await expect(over(page)).toContainText("38");
    await over(page).getByRole("link", { name: "Go on with the visit" }).click();
    await page.waitForURL(/visits\/[0-9a-f-]+$/);
    // Meanwhile the visit is closed by somebody else.
    await page.close();
    await server.start();
    const closed = { id: randomUUID(), event: { kind: "closed" } };
    const there = await page.context().request.post(`${server.url}/api/visits/${visit}/events`, { data: closed });
    expect(there.ok(), await there.text()).toBeTruthy();
    const later = await page.context().newPage();
    await later.goto(`${server.url}/people/${person}`);
    await expect(later.getByText(/is saved outside its visit/)).toBeVisible({ timeout: 25_000 });
    const found = await (await later.request.get(`${server.url}/api/people/${person}`)).json();
    expect(found.tests).toHaveLength(1);
  });

  test("sign-out leaves nobody’s data on the device", async ({ coach, page, server }) => {
    await coach.hasPractice();
    await isKept(coach, page);
    const person = await coach.knows("Maud Ellery", "1993-02-03", "female");
    await coach.opens(`/people/${person}`);
    await expect.poll(async () => (await answers(page)).join()).toContain(`/api/people/${person}`);
    // Also where nothing answers: the session ends as soon as something does.
    await server.kill();
    await page.getByRole("button", { name: "Sign out" }).click();
    await page.waitForURL(/sign-in/);
    expect(await answers(page)).toEqual([]);
    await server.start();
    await coach.opens(`/people/${person}`);
    await page.waitForURL(/sign-in/);
    expect((await page.request.get(`${server.url}/api/session`)).status()).toBe(401);
  });

  test("a new version of the application takes over between two pages, and never on a floor @alone", async ({ coach, page }) => {
    const worker = resolve(import.meta.dirname, "../../ui/dist/sw.js");
    const was = readFileSync(worker, "utf8");
    await coach.hasPractice();
    await isKept(coach, page);
    await coach.stands([await coach.knows("Rurik Dane")], "vertical-jump", { arms: "swing", warm_up: true });
    await expect(page.getByRole("button", { name: "Begin" })).toBeVisible();
    try {
      writeFileSync(worker, `${was}\n// A newer one.`);
      const waits = () => page.evaluate(async () => (await navigator.serviceWorker.getRegistration())!.waiting !== null);
      await page.evaluate(async () => {
        Object.assign(window, { same: true });
        await (await navigator.serviceWorker.getRegistration())!.update();
      });
      // While the page is loaded anew nothing can be asked of it.
      const isSame = () => page.evaluate(() => "same" in window).catch(() => true);
      await expect.poll(waits, { timeout: 30_000 }).toBe(true);
      await page.getByRole("button", { name: "Begin" }).click();
      await coach.reads("Standing reach", "230");
      expect(await isSame()).toBe(true);
      // Off the floor and on to the next page.
      await page.getByRole("button", { name: "Stop" }).click();
      await page.getByRole("button", { name: "Discard" }).click();
      await page.getByRole("button", { name: "Yes, discard it" }).click();
      await page.waitForURL(/people\//);
      await page.getByRole("link", { name: "Today" }).click();
      await expect.poll(isSame).toBe(false);
      await expect(page.getByRole("heading", { level: 1 })).toBeVisible();
      expect(await waits()).toBe(false);
    } finally {
      writeFileSync(worker, was);
    }
  });
});
