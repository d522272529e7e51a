// A practice to measure with, by the interface's own routes: a coach who is signed in, and a group of made-up people.
import { randomUUID } from "node:crypto";

/** Somebody who asks. `send` asks as them; `cookie` is who they are. */
export function asked(base, cookie = "") {
  const self = { cookie };
  self.send = async (method, path, body) => {
    const headers = { cookie: self.cookie, ...(body === undefined ? {} : { "content-type": "application/json" }) };
    const answer = await fetch(`${base}/api${path}`, { method, headers, body: body === undefined ? undefined : JSON.stringify(body) });
    const set = answer.headers.getSetCookie().find((c) => c.startsWith("impulso="));
    if (set) self.cookie = set.split(";")[0];
    const text = await answer.text();
    if (!answer.ok) throw new Error(`${method} ${path}: ${answer.status} ${text.slice(0, 600)}`);
    return text ? JSON.parse(text) : undefined;
  };
  return self;
}

/** A new practice, as its coach. */
export async function practice(base, email) {
  const self = asked(base);
  await self.send("POST", "/practices", { practice: "Harbour", time_zone: "UTC", coach: "Ada Coach", email, password: "long enough password" });
  return self;
}

const letters = (n) => String.fromCharCode(97 + (n % 26)) + String.fromCharCode(97 + (Math.floor(n / 26) % 26));

/** A group of so many people, numbered from 1: its key and theirs. */
export async function squad({ send }, name, many, born = "1990-04-02") {
  const group = randomUUID();
  await send("PUT", `/groups/${group}`, { name });
  const lines = Array.from({ length: many }, (_, n) => ({
    id: randomUUID(),
    known: null,
    name: `${name} ${letters(n)} ${letters(n * 7)}`,
    born,
    sex: n % 2 ? "m" : "f",
    height: "178",
    mass: "80",
    playing_group: n % 3 ? "front" : "back",
    number: `${n + 1}`,
  }));
  await send("POST", "/people/list", { lines, units: "metric", group });
  return { group, people: lines.map((l) => l.id) };
}

/** A battery of these tests; its key. */
export async function battery({ send }, tests) {
  const id = randomUUID();
  await send("PUT", `/batteries/${id}`, { id, name: "Long day", summary: "", tests: tests.map((protocol) => ({ protocol })), photos: false });
  return `own-${id.replaceAll("-", "")}`;
}

/** A whole session of a group, stored as one list: how many results, and how long storing them took, ms. `value`: of a column, for a person. */
export async function session({ send }, group, of, value) {
  const plan = await send("GET", `/groups/${group}/visits/new?battery=${of}`);
  const first = (c) => (c.kind === "yes_no" ? true : c.kind === "choice" ? c.choices[0][0] : c.kind === "number" ? 40 : "track");
  const conditions = Object.fromEntries(plan.asked.map((c) => [c.key, plan.suggested[c.key] ?? first(c)]));
  const visit = randomUUID();
  await send("POST", `/groups/${group}/visits`, { id: visit, battery: of, conditions });
  const sheet = await send("GET", `/group-visits/${visit}/sheet`);
  const results = sheet.lines.flatMap((line, n) =>
    sheet.tests.map((test) => {
      const { asked } = line.tests.find((t) => t.place === test.place);
      const taken = test.columns.filter((c, k) => asked[k] && (c.required || k === 0));
      const cells = taken.map((c) => ({ input: c.input, side: c.side, tries: Array.from({ length: Math.min(3, c.tries) }, (_, k) => value(c, n + k)) }));
      return { id: randomUUID(), person: line.person, place: test.place, cells };
    }),
  );
  const before = performance.now();
  await send("POST", `/group-visits/${visit}/sheet`, { results });
  const took = performance.now() - before;
  await send("POST", `/group-visits/${visit}/close`);
  return { results: results.length, took };
}

const TWELVE = ["plank", "vertical-jump", "wall-sit", "up-and-go", "squat-1min", "crunch-1min", "broad-jump", "t-agility", "run-1000m-lengths", "shuttle-1200m", "chair-stand-5x", "run-1-5mile"];
/** A group of sixty with twelve tests, after so many sessions; its key. */
export async function sixty(coach, name, sessions) {
  const [{ group }, of] = [await squad(coach, name, 60), await battery(coach, TWELVE)];
  for (let k = 0; k < sessions; k++) {
    const value = ({ usual }, n) => (usual ? Math.round((usual.from + (usual.to - usual.from) * (0.3 + (((n + k) * 7) % 20) / 50)) * 2) / 2 : 20);
    await session(coach, group, of, value);
  }
  return group;
}

export const median = (all) => at(all, 0.5);
export const at = (all, share) => [...all].sort((a, b) => a - b)[Math.floor((all.length - 1) * share)];
