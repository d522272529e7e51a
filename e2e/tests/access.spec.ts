/** Every screen for everyone: nothing serious for axe, every flow by keyboard alone, a light first load. */
import { expect, isClean, test, type Coach } from "./support";

async function demoPerson(coach: Coach, name: string) {
  const { people } = await (await coach.page.request.get(`${coach.server.url}/api/people?q=${name}`)).json();
  return (await coach.page.request.get(`${coach.server.url}/api/people/${people[0].id}`)).json();
}

test.describe("with the demo", () => {
  test.use({ demo: true });

  test("axe finds nothing serious where somebody signs in, begins or searches", async ({ coach, page }) => {
    await coach.opens("/sign-in");
    await expect(page.getByText("The demo practice is loaded")).toBeVisible();
    await isClean(page, "sign in");
    await coach.opens("/begin");
    await isClean(page, "begin");
    await coach.signsInToDemo();
    await coach.opens("/");
    await expect(page.getByText("Due today").first()).toBeVisible();
    await page.keyboard.press("/");
    await expect(page.getByRole("dialog")).toBeVisible();
    await isClean(page, "search");
  });

  const everyScreen = async (coach: Coach): Promise<[string, string][]> => {
    const ilse = await demoPerson(coach, "ilse");
    const rurik = await demoPerson(coach, "rurik");
    const hesper = await demoPerson(coach, "hesper");
    const odile = await demoPerson(coach, "odile");
    const caspian = await demoPerson(coach, "caspian");
    return [
      ["/", "Due today"],
      ["/people", "in this practice"],
      ["/people/new", "New client"],
      [`/people/${ilse.id}`, "Change since the first test"],
      [`/people/${ilse.id}/vo2max`, "Over time"],
      ["/groups", "Sabre squad"],
      [`/people/${ilse.id}/edit`, "Birth date"],
      [`/people/${ilse.id}/readiness`, "Regularly active?"],
      [`/people/${ilse.id}/assess`, "Which test?"],
      [`/people/${hesper.id}/assess/bench-step-3min`, "Start test"],
      [`/people/${ilse.id}/trend/bench-step-3min/vo2max`, "Every test"],
      [`/results/${rurik.tests[0].id}`, "Is it real?"],
      [`/results/${hesper.tests[0].id}`, "Stop and refer"],
      [`/results/${odile.tests[0].id}`, "Is it real?"],
      [`/results/${caspian.tests.find((t: { protocol: string }) => t.protocol === "clamped-cycle").id}`, "What counts as a change"],
      [`/people/${caspian.id}/enter/clamped-cycle`, "Recording of the ride"],
      [`/people/${rurik.id}/enter/multistage-cycle`, "kgm/min"],
      ["/rehearsals/new?protocol=multistage-cycle", "A strap that drops out"],
      [`/people/${rurik.id}/history/four-in-five-minutes`, "Events|Body measures"],
      [`/people/${rurik.id}/photos`, "Ask the client first"],
      [`/people/${rurik.id}/enter/body`, "Waist"],
      ["/batteries", "Five skills"],
      ["/batteries/five-skills/points", "Levels by the total"],
      ["/join", "code"],
      ["/tests/clamped-cycle", "often means fitter"],
      ["/retests", "To come"],
      ["/tests", "Test library"],
      ["/tests/bench-step-3min", "How it is run"],
      ["/practice", "Coaches"],
      ["/nowhere", "There is nothing here"],
    ];
  };
  const PARTS = 4;
  for (let part = 0; part < PARTS; part++)
    test(`axe finds nothing serious on any screen, part ${part + 1} of ${PARTS}`, async ({ coach, page }) => {
      await coach.signsInToDemo();
      const screens = (await everyScreen(coach)).filter((_, k) => k % PARTS === part);
      for (const [path, words] of screens) {
        await coach.opens(path);
        await expect(page.getByText(new RegExp(words.replace("?", "\\?"))).first()).toBeVisible();
        await isClean(page, path);
      }
    });

  test("a person is found in two keystrokes", async ({ coach, page }) => {
    await coach.signsInToDemo();
    await coach.opens("/");
    await expect(page.getByRole("heading", { name: "Due today" })).toBeVisible();
    await page.keyboard.press("/");
    await expect(page.getByRole("searchbox")).toBeFocused();
    await page.keyboard.type("no");
    await expect(page.getByRole("dialog").getByRole("link").first()).toContainText("Noor Haddane");
    await page.keyboard.press("Enter");
    await expect(page.getByRole("heading", { name: "Noor Haddane" })).toBeVisible();
  });

  for (const [path, heading, most] of [
    ["/", "Due today", 75_000],
    ["/tests", "Test library", 80_000],
  ] as const) {
    test(`${path} opens with no more than ${most / 1000} kB of compressed script`, async ({ coach, page }) => {
      await coach.signsInToDemo();
      // As in a browser that has none of it yet.
      const cdp = await page.context().newCDPSession(page);
      await cdp.send("Network.clearBrowserCache");
      // What the page fetches ahead waits for an idle moment: here there is none, so that only what opens the page is counted.
      await page.addInitScript(() => Object.assign(window, { requestIdleCallback: () => 0 }));
      const sizes: Promise<number>[] = [];
      page.on("response", (r) => {
        if (r.url().endsWith(".js"))
          sizes.push(
            r
              .request()
              .sizes()
              .then((s) => s.responseBodySize),
          );
      });
      await coach.opens(path);
      await expect(page.getByRole("heading", { name: heading })).toBeVisible();
      await page.waitForLoadState("networkidle");
      const bytes = (await Promise.all(sizes)).reduce((all, one) => all + one, 0);
      console.log(`${heading}: ${(bytes / 1000).toFixed(0)} kB of compressed script`);
      expect(bytes).toBeGreaterThan(20_000);
      expect(bytes).toBeLessThan(most);
    });
  }

  test("the floor and the lists fit a phone", async ({ coach, page }) => {
    await page.setViewportSize({ width: 390, height: 800 });
    await coach.signsInToDemo();
    const ilse = await demoPerson(coach, "ilse");
    for (const path of [
      "/",
      "/people",
      `/people/${ilse.id}`,
      `/people/${ilse.id}/assess/bench-step-3min`,
      `/results/${ilse.tests[0].id}`,
      "/retests",
    ]) {
      await coach.opens(path);
      await page.waitForLoadState("networkidle");
      expect(await page.evaluate(() => document.documentElement.scrollWidth), path).toBeLessThanOrEqual(390);
    }
  });
});

test("the whole job by keyboard alone", async ({ coach, page }) => {
  await coach.hasPractice();
  await coach.opens("/");
  await expect(page.getByText("Add your first client").first()).toBeVisible();
  const to = async (matches: string) => {
    for (let i = 0; i < 80; i++) {
      await page.keyboard.press("Tab");
      const here = await page.evaluate(() => {
        const e = document.activeElement as HTMLInputElement | null;
        return [
          e?.getAttribute("name"),
          e?.getAttribute("value"),
          e?.getAttribute("aria-label"),
          e?.innerText,
          e?.closest("label")?.innerText,
        ]
          .filter(Boolean)
          .join("|");
      });
      if (here.includes(matches)) return;
    }
    throw new Error(`Tab never reached ${matches}`);
  };
  await page.keyboard.press("n");
  await expect(page.getByRole("heading", { name: "New client" })).toBeVisible();
  await page.getByLabel("Name", { exact: true }).focus();
  await page.keyboard.type("Caspian Rell");
  await to("born");
  await page.keyboard.type("04021995");
  await to("Not given");
  await page.keyboard.press("ArrowLeft");
  await to("Save and check readiness");
  await page.keyboard.press("Enter");
  await page.waitForURL(/readiness/);
  await to("active");
  await page.keyboard.press("Space");
  await to("disease");
  await page.keyboard.press("ArrowRight");
  await to("drug");
  await page.keyboard.press("ArrowRight");
  await to("None of them");
  await page.keyboard.press("Space");
  await expect(page.getByText("Nothing here speaks against testing today.")).toBeVisible();
  await to("Save and choose a test");
  await page.keyboard.press("Enter");
  await page.waitForURL(/assess$/);
  await expect(page.getByText("Which test?")).toBeVisible();
  await to("Aerobic");
  await page.keyboard.press("Enter");
  await to("Set up");
  await page.keyboard.press("Enter");
  await page.waitForURL(/assess\/bench-step/);
  await expect(page.getByLabel("Bench height")).toBeVisible();
  await to("warm_up");
  await page.keyboard.press("Space");
  await to("wrist");
  await page.keyboard.press("Space");
  await to("Start test");
  await page.keyboard.press("Enter");
  await page.waitForURL(/runs\//);
  await expect(page.getByRole("button", { name: "Start the clock" })).toBeVisible();
  await isClean(page, "floor, ready");
  await page.keyboard.press("Space");
  await expect(page.getByRole("heading", { name: "Step", exact: true })).toBeVisible();
  await isClean(page, "floor, stepping");
  await coach.window.waitFor({ timeout: 40_000 });
  await coach.countIsDue();
  await expect(coach.entry).toBeFocused();
  await page.keyboard.type("35");
  await page.keyboard.press("Enter");
  await expect(page.getByText("35 beats counted")).toBeVisible();
  await isClean(page, "floor, reading");
  await page.keyboard.press("Enter");
  await page.waitForURL(/results\//);
  await expect(page.getByText("Is it real?")).toBeVisible();
  await to("Save dates");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("button", { name: "Change the rule" })).toBeVisible();
});
