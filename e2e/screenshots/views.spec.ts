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
  const presence = (k: number) => (k === 2 ? { presence: "absent" } : k === 4 ? { presence: "not_testing", reason: "sore ankle" } : { presence: "here" });
  const people = roll.map((l: { person: string }, k: number) => ({ person: l.person, ...presence(k) }));
  await page.request.put(`${api}/group-visits/${groupVisit}/roll`, { data: { people } });
  const asBefore = { people: [0, 1, 5, 6].map((k) => roll[k].person) };
  await page.request.post(`${api}/group-visits/${groupVisit}/readiness`, { data: asBefore });
  await coach.opens(`/group-visits/${groupVisit}`);
  await page.waitForLoadState("networkidle");
  await shot(page, "group-visit");
  const look = await page.request.post(`${api}/people/${ilse.id}/visits`, {
    data: { id: crypto.randomUUID(), battery: "first-look", conditions: { warm: true, shoes: "none" } },
  });
  await coach.opens(`/visits/${(await look.json()).id}/floor`);
  await expect(page.getByRole("button", { name: "Start test Space" })).toBeVisible();
  await shot(page, "visit-floor");
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
  await page.setViewportSize({ width: 390, height: 800 });
  await page.waitForTimeout(400);
  await page.screenshot({ path: into("floor-phone") });
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

  // A class while its counts come in.
  const list = (await (await page.request.get(`${api}/people?q=`)).json()).people.slice(0, 9);
  const run = await coach.stands(
    list.map((p: { id: string }) => p.id),
    "class-step-3min",
    { bench_cm: 30, warm_up: true, pulse_site: "wrist" },
    { reasons: Object.fromEntries(list.map((p: { id: string }) => [p.id, "a class with its teacher"])) },
  );
  await page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
  await expect(page.getByRole("heading", { name: "Enter the count" })).toBeVisible({ timeout: 60_000 });
  for (const [k, beats] of [20, 22, 19, 24, 21].entries()) {
    await page.getByRole("listitem").filter({ hasText: list[k].name }).getByRole("button").click();
    await page.getByLabel(`Beats of ${list[k].name}`).fill(String(beats));
    await page.keyboard.press("Enter");
  }
  await expect(page.getByText("5 of 9 counted")).toBeVisible();
  await page.screenshot({ path: into("class") });
  expect(run).toBeTruthy();

  // A rehearsal's report.
  await coach.opens("/rehearsals/new?protocol=multistage-cycle");
  await page.getByText("four times as fast").click();
  await page.getByLabel(/A strap that drops out/).check();
  await page.getByRole("button", { name: "Start test" }).click();
  await page.waitForURL(/runs\//);
  await page.getByRole("button", { name: /^(Start the clock|Begin)/ }).click();
  const over = page.getByRole("heading", { name: /^(Test complete|Ceiling reached)$/ });
  const load = page.getByRole("button", { name: /Load is set/ });
  for (let k = 0; k < 12 && !(await over.isVisible()); k++) {
    await expect(load.or(over)).toBeVisible({ timeout: 60_000 });
    if (await over.isVisible()) break;
    await load.click();
    await expect(load).toBeHidden();
  }
  await page.getByRole("button", { name: /Save result/ }).click();
  await page.waitForURL(/rehearsals\//);
  await page.waitForLoadState("networkidle");
  await shot(page, "rehearsal");
});
