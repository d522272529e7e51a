/** One current picture of each main view, from the demo data. */
import { resolve } from "node:path";
import type { Page } from "@playwright/test";
import { test, expect } from "../tests/support";

test.use({ demo: true, rate: 6 });

const into = (name: string) => resolve(import.meta.dirname, "../../docs/screenshots", `${name}.png`);

async function shot(page: Page, name: string) {
  await page.waitForTimeout(500);
  await page.screenshot({ path: into(name) });
}

test("views", async ({ coach, page, server }) => {
  test.setTimeout(420_000);
  await coach.signsInToDemo();
  const api = `${server.url}/api`;
  const person = async (q: string) => {
    const { people } = await (await page.request.get(`${api}/people?q=${q}`)).json();
    return (await page.request.get(`${api}/people/${people[0].id}`)).json();
  };
  const [halla, ilse, noor, caspian, maud, odile, teo, rurik] = [
    await person("halla"),
    await person("ilse"),
    await person("noor"),
    await person("caspian"),
    await person("maud"),
    await person("odile"),
    await person("teo"),
    await person("rurik"),
  ];
  const ready = (active: boolean) => ({
    answers: { regularly_active: active, known_disease: false, symptoms: [], rate_limiting_drug: false },
  });
  await page.request.post(`${api}/people/${maud.id}/readiness`, { data: ready(true) });
  await page.request.post(`${api}/people/${odile.id}/readiness`, { data: ready(true) });

  const groups: { id: string; name: string }[] = await (await page.request.get(`${api}/groups`)).json();
  const squad = groups.find((g) => g.name === "Sabre squad")!.id;
  for (const [name, path] of [
    ["today", "/"],
    ["person", `/people/${halla.id}`],
    ["choose", `/people/${odile.id}/assess`],
    ["result", `/results/${rurik.tests.find((t: { protocol: string }) => t.protocol === "multistage-cycle").id}`],
    ["visit", `/visits/${rurik.visits[0].id}`],
    ["best", `/people/${halla.id}/vo2max`],
    ["group", `/groups/${squad}`],
    ["group-standing", `/groups/${squad}/standing`],
    ["method", "/tests/chair-stand-30s"],
  ] as const) {
    await coach.opens(path);
    await page.waitForLoadState("networkidle");
    await shot(page, name);
  }
  const squadDay = (await (await page.request.get(`${api}/batteries`)).json()).find((b: { own: boolean }) => b.own).battery.id;
  const session = await page.request.post(`${api}/groups/${squad}/visits`, {
    data: { id: crypto.randomUUID(), battery: squadDay, conditions: { warm_up: true, arms: "swing" } },
  });
  const { id: groupVisit, roll } = await session.json();
  const presence = (k: number) =>
    k === 2 ? { presence: "absent" } : k === 4 ? { presence: "not_testing", reason: "sore ankle" } : { presence: "here" };
  const people = roll.map((l: { person: string }, k: number) => ({ person: l.person, ...presence(k) }));
  await page.request.put(`${api}/group-visits/${groupVisit}/roll`, { data: { people } });
  const asBefore = { people: [0, 1, 5, 6].map((k) => roll[k].person) };
  await page.request.post(`${api}/group-visits/${groupVisit}/readiness`, { data: asBefore });
  await coach.opens(`/group-visits/${groupVisit}`);
  await page.waitForLoadState("networkidle");
  await shot(page, "group-visit");
  await coach.opens(`/people/${noor.id}/readiness`);
  const answer = (label: string, words: string) => page.getByRole("group", { name: label }).getByText(words, { exact: true }).click();
  await answer("Regularly active?", "Yes");
  await answer("A known disease?", "Yes");
  await answer("Cleared by a doctor?", "No");
  await answer("A medicine that lowers the heart rate?", "No");
  await page.getByText("None of them").click();
  await expect(page.getByText("Light to moderate tests may go on.")).toBeVisible();
  await shot(page, "readiness");
  await coach.opens(`/people/${caspian.id}/trend/bench-step-3min/vo2max`);
  await page.waitForLoadState("networkidle");
  await shot(page, "trend");

  await coach.opens(`/people/${maud.id}/assess/bench-step-3min`);
  await page.getByLabel("Bench height").fill("15.75");
  await expect(page.getByText("16.26 in last time.")).toBeVisible();
  await page.getByRole("group", { name: "Was the warm-up done?" }).getByText("Yes", { exact: true }).click();
  await shot(page, "assess");
  await page.getByLabel("Bench height").fill("41.3 cm");
  await page.getByRole("button", { name: "Start test" }).click();
  await page.waitForURL(/runs\//);
  await coach.startsTheClock();
  await page.waitForTimeout(6500);
  await page.screenshot({ path: into("floor") });
  await page.setViewportSize({ width: 1280, height: 800 });
  await coach.window.waitFor({ timeout: 70_000 });
  await coach.taps(150, 6);
  await coach.countIsDue();
  await coach.types("35");
  await expect(page.getByRole("button", { name: "Keep 140 bpm" })).toBeVisible();

  // A lift: what was taken, what is advised and why, the rest.
  await page.request.post(`${api}/people/${teo.id}/readiness`, { data: ready(true) });
  const lift = { warm_up: true, lift: "bench_press", spotter: true };
  await coach.stands([teo.id], "one-rm", lift, { overrule_reason: "trains with us" });
  await page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
  for (const [load, key] of [
    ["40", "m"],
    ["47.5", "m"],
    ["55", "x"],
  ] as const) {
    await page.getByRole("textbox", { name: "Load, kg" }).fill(load);
    await page.keyboard.press(key);
    await expect(page.getByRole("button", { name: new RegExp(`try \\d: ${load} `) })).toBeVisible();
  }
  await page.waitForTimeout(3_500);
  await page.screenshot({ path: into("floor-lift") });

  // The cycle, decided live.
  await page.request.post(`${api}/people/${rurik.id}/readiness`, { data: ready(true) });
  await coach.stands([rurik.id], "multistage-cycle", { warm_up: true, hr_source: "strap" });
  await page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
  await page.keyboard.press("m");
  await expect(page.getByText(/Count from zero/)).toBeVisible({ timeout: 60_000 });
  await coach.tapsAlong(114, 6, 1_200);
  await coach.reads("Beats in 15 s, minute 2", "28");
  await page.keyboard.press("m");
  await coach.reads("Heart rate, minute 3", "114");
  await page.getByRole("button", { name: /Load is set/ }).click();
  await coach.reads("Heart rate, minute 2", "124");
  await coach.reads("Heart rate, minute 3", "126");
  await expect(page.getByRole("heading", { name: "Test complete" })).toBeVisible();
  await page.waitForTimeout(400);
  await page.screenshot({ path: into("floor-cycle") });

  // A finish line: some are in, some times have no name yet, one is out.
  const list = (await (await page.request.get(`${api}/groups/${squad}/standing`)).json()).lines.slice(4, 14);
  await coach.stands(
    list.map((p: { person: string }) => p.person),
    "shuttle-1200m",
    { warm_up: true, wind: "none", wet: false },
    { together: true, reasons: Object.fromEntries(list.map((p: { person: string }) => [p.person, "a squad with its coach"])) },
  );
  await page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
  await expect(page.locator(".figures")).toHaveText(/^4:3/, { timeout: 90_000 });
  const tile = (k: number) => page.locator(".tile").nth(k);
  for (const k of [0, 4, 8, 6]) await tile(k).click();
  await page.keyboard.press("o");
  await tile(2).click();
  await page.getByRole("button", { name: "Fatigue" }).click();
  await page.waitForTimeout(700);
  for (let k = 0; k < 2; k++) await page.keyboard.press("Space");
  await expect(page.locator(".times li")).toHaveCount(2);
  await page.screenshot({ path: into("finish-line") });

  // A run to beeps: two have missed a line, two are out.
  await coach.stands(
    list.map((p: { person: string }) => p.person),
    "shuttle-recovery-1",
    { warm_up: true, beep_rule: "consecutive", wind: "none", wet: false },
    { together: true, reasons: Object.fromEntries(list.map((p: { person: string }) => [p.person, "a squad with its coach"])) },
  );
  await page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
  const signal = page.locator(".says").first();
  for (const missed of [[1, 6], [1, 6, 3], [4]]) {
    await expect(signal).toContainText(/Turn|Beep/, { timeout: 30_000 });
    await expect(signal).toContainText("Rest", { timeout: 30_000 });
    for (const k of missed) await tile(k).click();
  }
  await page.setViewportSize({ width: 1024, height: 768 });
  await expect(signal).toContainText("Turn", { timeout: 30_000 });
  await page.screenshot({ path: into("beeps") });
});

test.describe("without a network", () => {
  test.use({ serviceWorkers: "allow" });
  test("a visit whose first test was done without a network", async ({ coach, page, server }) => {
    await coach.signsInToDemo();
    await coach.opens("/");
    const api = `${server.url}/api`;
    const { people } = await (await page.request.get(`${api}/people?q=ilse`)).json();
    const ilse = people[0];
    const look = await page.request.post(`${api}/people/${ilse.id}/visits`, {
      data: { id: crypto.randomUUID(), battery: "first-look", conditions: { warm: true, shoes: "none" } },
    });
    await expect.poll(() => page.evaluate(() => navigator.serviceWorker.controller?.state), { timeout: 30_000 }).toBe("activated");
    await coach.opens(`/visits/${(await look.json()).id}/floor`);
    const kept = () =>
      page.evaluate(async () => (await (await caches.open("impulso-prepared")).keys()).filter((r) => r.url.includes("/prepared?")));
    await expect.poll(async () => (await kept()).length).toBe(4);
    await server.kill();
    await page.getByRole("button", { name: "Start test Space" }).click();
    await page.getByRole("button", { name: "Begin" }).click();
    for (const key of ["1", "2", "3", "4", "5", "5", "6"]) await page.keyboard.press(key);
    await page.keyboard.press("Enter");
    await page.getByRole("button", { name: /Save result/ }).click();
    await page.getByRole("link", { name: "Go on with the visit" }).click();
    await expect(page.getByRole("heading", { name: "Knee straightening, lying" })).toBeVisible();
    await shot(page, "visit-floor");
  });
});
