// A run to beeps of forty in real Chromium, while two other screens listen: from the tap on a tile to its paint, with a network and without
// one, and the end of all forty (folded, scored, stored). Called by script/bench.
//
//   node beeps.mjs BASE
import { randomUUID } from "node:crypto";
import { createRequire } from "node:module";
import { painted } from "./painted.mjs";
import { at, practice, squad } from "./practice.mjs";

const { chromium } = createRequire(new URL("../../e2e/package.json", import.meta.url))("@playwright/test");
const [base] = process.argv.slice(2);
const [MANY, ROUNDS, SCREENS] = [40, 5, 3];
const coach = await practice(base, `beeps${Date.now()}@example.org`);
const { group, people } = await squad(coach, "Runner", MANY, "2001-04-02");
const answers = { regularly_active: true, known_disease: false, symptoms: [], rate_limiting_drug: false };
for (const person of people) await coach.send("POST", `/people/${person}/readiness`, { answers });
const visit = randomUUID();
const conditions = { warm_up: true, beep_rule: "consecutive", wind: "none", wet: false };
await coach.send("POST", `/groups/${group}/visits`, { id: visit, battery: "shuttle-20m", conditions });
await coach.send("PUT", `/group-visits/${visit}/roll`, { people: people.map((person) => ({ person, presence: "here" })) });
const run = randomUUID();
await coach.send("POST", "/runs", { id: run, people, protocol: "shuttle-20m", conditions: {}, group: { visit, place: 0 }, together: true });

const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
const context = await browser.newContext({ viewport: { width: 1024, height: 768 } });
const [name, value] = coach.cookie.split("=");
await context.addCookies([{ name, value, url: base }]);
const page = await context.newPage();
await page.goto(`${base}/runs/${run}`);
await page.locator(".tile").nth(MANY - 1).waitFor();
const listening = new AbortController();
for (let k = 1; k < SCREENS; k++) {
  const { body } = await fetch(`${base}/api/runs/${run}/live`, { headers: { cookie: coach.cookie }, signal: listening.signal });
  void (async () => {
    for await (const _ of body);
  })().catch(() => undefined);
}
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
