// A run to beeps of forty in real Chromium, while two other screens listen: from the tap on a tile to its paint, with a network and without
// one, and the end of all forty (folded, scored, stored). Called by script/bench.
//
//   node beeps.mjs BASE
import { floorOf } from "./floor.mjs";
import { painted } from "./painted.mjs";
import { at } from "./practice.mjs";

const [base] = process.argv.slice(2);
const [MANY, ROUNDS, SCREENS] = [40, 5, 3];
const conditions = { warm_up: true, beep_rule: "consecutive", wind: "none", wet: false };
const { coach, run, browser, context, page, listening } = await floorOf(base, "Runner", "shuttle-20m", conditions, MANY, SCREENS);
await page.keyboard.press("Space");
const tiles = Array.from({ length: MANY }, (_, k) => (k * 7) % MANY);
/** Everybody misses every second line: so many rounds of taps, the first after `line` lines. */
async function rounds(line, words) {
  const times = [];
  for (let k = 0; k < ROUNDS; k++) {
    await page.getByText(`${20 * (line + 2 * k)} m so far`).waitFor({ timeout: 60_000 });
    times.push(...(await painted(page, MANY, tiles)));
  }
  console.log(`${MANY} runners, ${words}, ${times.length} taps: painted p50 ${at(times, 0.5).toFixed(0)} ms, p99 ${at(times, 0.99).toFixed(0)} ms`);
}
await rounds(1, `${SCREENS} screens`);
await context.setOffline(true);
await rounds(1 + 2 * ROUNDS, "without a network");
await context.setOffline(false);
await page.getByText("everything is saved").waitFor({ timeout: 60_000 });

const posts = [];
page.on("requestfinished", (request) => {
  if (request.method() === "POST" && request.url().endsWith("/events")) posts.push(request.timing().responseEnd);
});
await page.getByRole("button", { name: "Stop", exact: true }).click();
const before = performance.now();
await page.getByRole("button", { name: "End the test for all" }).click();
await page.waitForURL(/group-visits/);
console.log(
  `${MANY} runners' end: on the group's page ${((performance.now() - before) / 1000).toFixed(2)} s after the key; ${posts.length} requests, the longest ${Math.max(...posts).toFixed(0)} ms`,
);
const { performers } = await coach.send("GET", `/runs/${run}`);
console.log(`${performers.filter((p) => p.result).length} of ${MANY} results are stored`);
listening.abort();
await browser.close();
