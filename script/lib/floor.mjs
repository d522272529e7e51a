// A floor of many on one clock, in real Chromium, while other screens listen.
import { randomUUID } from "node:crypto";
import { createRequire } from "node:module";
import { practice, squad } from "./practice.mjs";

const { chromium } = createRequire(new URL("../../e2e/package.json", import.meta.url))("@playwright/test");

/** A practice, a squad of so many who are here and ready, and the page of their test on a tablet. `screens`: with this one. */
export async function floorOf(base, name, protocol, conditions, many, screens) {
  const coach = await practice(base, `${protocol}${Date.now()}@example.org`);
  const { group, people } = await squad(coach, name, many, "2001-04-02");
  const answers = { regularly_active: true, known_disease: false, symptoms: [], rate_limiting_drug: false };
  for (const person of people) await coach.send("POST", `/people/${person}/readiness`, { answers });
  const visit = randomUUID();
  await coach.send("POST", `/groups/${group}/visits`, { id: visit, battery: protocol, conditions });
  await coach.send("PUT", `/group-visits/${visit}/roll`, { people: people.map((person) => ({ person, presence: "here" })) });
  const run = randomUUID();
  await coach.send("POST", "/runs", { id: run, people, protocol, conditions: {}, group: { visit, place: 0 }, together: true });
  const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox"] });
  const context = await browser.newContext({ viewport: { width: 1024, height: 768 } });
  const [cookie, value] = coach.cookie.split("=");
  await context.addCookies([{ name: cookie, value, url: base }]);
  const page = await context.newPage();
  await page.goto(`${base}/runs/${run}`);
  await page.locator(".tile").nth(many - 1).waitFor();
  // The other screens have a processor of their own: here they only listen.
  const listening = new AbortController();
  for (let k = 1; k < screens; k++) {
    const { body } = await fetch(`${base}/api/runs/${run}/live`, { headers: { cookie: coach.cookie }, signal: listening.signal });
    void (async () => {
      for await (const _ of body);
    })().catch(() => undefined);
  }
  return { coach, people, run, browser, context, page, listening };
}
