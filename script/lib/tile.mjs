// From the tap on a name to its painted tile, with forty on one clock, in real Chromium, while two other screens listen. Called by script/bench.
//
//   node tile.mjs BASE
import { randomUUID } from "node:crypto";
import { createRequire } from "node:module";
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
const times = await page.evaluate(
  async ({ taps, many }) => {
    const painted = (tile, was) =>
      new Promise((done) => {
        const look = () => (tile.textContent === was ? requestAnimationFrame(look) : requestAnimationFrame(() => done(performance.now())));
        requestAnimationFrame(look);
      });
    const times = [];
    for (let k = 0; k < taps; k++) {
      const tile = document.querySelectorAll(".tile")[(k * 7) % many];
      const [before, was] = [performance.now(), tile.textContent];
      tile.click();
      const end = await Promise.race([painted(tile, was), new Promise((done) => setTimeout(() => done(null), 2000))]);
      if (end === null) throw new Error(`tap ${k + 1}: ${tile.textContent} did not change`);
      times.push(end - before);
      await new Promise((done) => setTimeout(done, 40));
    }
    return times;
  },
  { taps: TAPS, many: MANY },
);
console.log(`${MANY} performers, ${SCREENS} screens, ${TAPS} taps: painted p50 ${at(times, 0.5).toFixed(0)} ms, p99 ${at(times, 0.99).toFixed(0)} ms`);
listening.abort();
await browser.close();
