// From the tap on a name to its painted tile, with forty on one clock, in real Chromium, while two other screens listen; and from a key to
// what it decides, of one person. Each with a network and without one. Called by script/bench.
//
//   node tile.mjs BASE
import { randomUUID } from "node:crypto";
import { createRequire } from "node:module";
import { painted } from "./painted.mjs";
import { at, practice, squad } from "./practice.mjs";

const { chromium } = createRequire(new URL("../../e2e/package.json", import.meta.url))("@playwright/test");
const [base] = process.argv.slice(2);
const [MANY, TAPS, SCREENS] = [40, 200, 3];
const coach = await practice(base, `tile${Date.now()}@example.org`);
const { group, people } = await squad(coach, "Pupil", MANY, "2001-04-02");
const answers = { regularly_active: true, known_disease: false, symptoms: [], rate_limiting_drug: false };
for (const person of people) await coach.send("POST", `/people/${person}/readiness`, { answers });
const visit = randomUUID();
const conditions = { standard: "feet_shoulder" };
await coach.send("POST", `/groups/${group}/visits`, { id: visit, battery: "squat-1min", conditions });
await coach.send("PUT", `/group-visits/${visit}/roll`, { people: people.map((person) => ({ person, presence: "here" })) });
const run = randomUUID();
await coach.send("POST", "/runs", { id: run, people, protocol: "squat-1min", conditions: {}, group: { visit, place: 0 }, together: true });

const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
const context = await browser.newContext({ viewport: { width: 1024, height: 768 } });
const [name, value] = coach.cookie.split("=");
await context.addCookies([{ name, value, url: base }]);
const page = await context.newPage();
await page.goto(`${base}/runs/${run}`);
await page.locator(".tile").nth(MANY - 1).waitFor();
// The other screens have a processor of their own: here they only listen.
const listening = new AbortController();
for (let k = 1; k < SCREENS; k++) {
  const { body } = await fetch(`${base}/api/runs/${run}/live`, { headers: { cookie: coach.cookie }, signal: listening.signal });
  void (async () => {
    for await (const _ of body);
  })().catch(() => undefined);
}
await page.keyboard.press("Space");
await page.waitForTimeout(9000);
const all = Array.from({ length: TAPS }, (_, k) => (k * 7) % MANY);
const says = (what, times) => console.log(`${what}: painted p50 ${at(times, 0.5).toFixed(0)} ms, p99 ${at(times, 0.99).toFixed(0)} ms`);
says(`${MANY} performers, ${SCREENS} screens, ${TAPS} taps`, await painted(page, TAPS, all));
await context.setOffline(true);
says(`${MANY} performers, without a network, ${TAPS} taps`, await painted(page, TAPS, all));
await context.setOffline(false);
listening.abort();

// One person: every key is a count that is checked, folded and painted.
for (const [words, offline] of [["", false], [", without a network", true]]) {
  const alone = randomUUID();
  await coach.send("POST", "/runs", { id: alone, people: [people[0]], protocol: "squat-1min", conditions });
  const log = page.waitForResponse((r) => r.url().endsWith("/log"));
  await page.goto(`${base}/runs/${alone}`);
  await (await log).finished();
  await context.setOffline(offline);
  await page.keyboard.press("Space");
  await page.waitForTimeout(9000);
  says(`one person${words}, ${TAPS} keys`, await painted(page, TAPS));
}
await browser.close();
