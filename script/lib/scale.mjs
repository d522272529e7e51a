// Medians of each page on two servers that take turns: the demo's size, and two million results in one practice.
// node script/lib/scale.mjs SMALL_URL LARGE_URL
import { sixty } from "./practice.mjs";

const [small, large] = process.argv.slice(2);
const ROUNDS = 100;
const LIMIT = 1.3;

class Coach {
  constructor(url) {
    this.url = url;
    this.cookies = new Map();
  }
  async ask(path, options = {}) {
    const cookie = [...this.cookies].map(([k, v]) => `${k}=${v}`).join("; ");
    const begin = performance.now();
    const answer = await fetch(this.url + path, { ...options, headers: { cookie, ...(options.body ? { "content-type": "application/json" } : {}) } });
    const text = await answer.text();
    const ms = performance.now() - begin;
    for (const line of answer.headers.getSetCookie()) {
      const [pair] = line.split(";");
      this.cookies.set(pair.slice(0, pair.indexOf("=")), pair.slice(pair.indexOf("=") + 1));
    }
    if (!answer.ok) throw new Error(`${path}: ${answer.status} ${text.slice(0, 300)}`);
    return { ms, text };
  }
  /** As the helpers of other measures ask. */
  send = async (method, path, body) => {
    const { text } = await this.ask(`/api${path}`, { method, ...(body === undefined ? {} : { body: JSON.stringify(body) }) });
    return text ? JSON.parse(text) : undefined;
  };
  async json(path) {
    return JSON.parse((await this.ask(path)).text);
  }
}

/** A client with about as many tests on either side, and a result of theirs. */
async function signIn(url, email, password) {
  const coach = new Coach(url);
  await coach.ask("/api/session", { method: "POST", body: JSON.stringify({ email, password }) });
  const { people } = await coach.json("/api/people?q=ilse");
  const person = people[0].id;
  const page = await coach.json(`/api/people/${person}`);
  const visited = (await coach.json("/api/people?q=rurik")).people[0].id;
  const { visits } = await coach.json(`/api/people/${visited}`);
  return { coach, person, result: page.tests[0].id, tests: page.tests.length, visited, visit: visits[0].id };
}

const demo = JSON.parse(await (await fetch(`${small}/api/welcome`)).text()).demo;
const sides = [await signIn(small, demo.email, demo.password), await signIn(large, demo.email, demo.password)];
for (const side of sides) {
  side.group = (await side.coach.json("/api/groups")).find((g) => g.members > 12).id;
  [side.years, side.once] = [await sixty(side.coach, "Long", 36), await sixty(side.coach, "Short", 1)];
}
console.log(`the client looked at has ${sides[0].tests} tests on the one side, ${sides[1].tests} on the other`);
/** What a visit goes through, and the most its median page may take beside two million results, ms. */
const FLOW_MS = 50;
const flow = {
  "Batteries to choose": () => `/api/batteries`,
  "A visit to begin": (s) => `/api/people/${s.visited}/visits/new?battery=four-in-five-minutes`,
  "A visit": (s) => `/api/visits/${s.visit}`,
  "A test of a visit": (s) => `/api/people/${s.visited}/assess/plank`,
  "A battery's history": (s) => `/api/people/${s.visited}/history/four-in-five-minutes`,
};
const pages = {
  ...flow,
  "A group": (s) => `/api/groups/${s.group}`,
  "Results of a group": (s) => `/api/groups/${s.group}/standing`,
  "Sixty, three years": (s) => `/api/groups/${s.years}/standing`,
  "Sixty, one session": (s) => `/api/groups/${s.once}/standing`,
  "Today": () => "/api/today",
  "People": () => "/api/people",
  "People, a name begun": () => "/api/people?q=il",
  "Find": () => "/api/search?q=ma",
  "A client": (s) => `/api/people/${s.person}`,
  "Set-up": (s) => `/api/people/${s.person}/assess/bench-step-3min`,
  "A result": (s) => `/api/results/${s.result}`,
  "A trend": (s) => `/api/people/${s.person}/trend/bench-step-3min/vo2max`,
  "Retests": () => "/api/retests",
  "Practice": () => "/api/practice",
  "Test library": () => "/api/protocols",
};
const median = (all) => [...all].sort((a, b) => a - b)[Math.floor(all.length / 2)];
let worst = 0;
const [flown, sixties] = [[], []];
for (const [name, path] of Object.entries(pages)) {
  const took = [[], []];
  for (let k = 0; k < ROUNDS + 5; k++) {
    for (const [side, all] of sides.map((s, i) => [s, took[i]])) {
      const { ms } = await side.coach.ask(path(side));
      // The first few warm what any server keeps warm.
      if (k >= 5) all.push(ms);
    }
  }
  const [few, many] = took.map(median);
  worst = Math.max(worst, many / few);
  if (name in flow) flown.push(many);
  if (name.startsWith("Sixty")) sixties.push(many);
  console.log(`${name.padEnd(22)} ${few.toFixed(2).padStart(8)} ms  ${many.toFixed(2).padStart(8)} ms   ${(many / few).toFixed(2)}`);
}
console.log(`the largest ratio of medians is ${worst.toFixed(2)} (limit ${LIMIT})`);
console.log(`the median page of a visit takes ${median(flown).toFixed(1)} ms beside two million results (limit ${FLOW_MS})`);
console.log(`sixty people with twelve tests: ${sixties[0].toFixed(0)} ms after three years, ${(sixties[0] / sixties[1]).toFixed(2)} times that after one session`);
process.exit(worst <= LIMIT && median(flown) <= FLOW_MS ? 0 : 1);
