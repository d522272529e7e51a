// From the tap on a name to its painted tile, with forty on one clock, in real Chromium, while two other screens listen; and from a key to
// what it decides, of one person. Each with a network and without one. Called by script/bench.
//
//   node tile.mjs BASE
import { randomUUID } from "node:crypto";
import { floorOf } from "./floor.mjs";
import { painted } from "./painted.mjs";
import { at } from "./practice.mjs";

const [base] = process.argv.slice(2);
const [MANY, TAPS, SCREENS] = [40, 200, 3];
const conditions = { standard: "feet_shoulder" };
const { coach, people, browser, context, page, listening } = await floorOf(base, "Pupil", "squat-1min", conditions, MANY, SCREENS);
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
