// Forty on one clock beside one alone: three screens watch, two of them and forty phones' worth of taps send one event at a time. How long an
// event takes to its answer and to every screen. Called by script/bench.
//
//   node squad.mjs BASE
import { randomUUID } from "node:crypto";
import { at, practice, squad } from "./practice.mjs";

const [base] = process.argv.slice(2);
const [MANY, EVENTS, SCREENS] = [40, 1200, 3];
const coach = await practice(base, "squad@example.org");
const { people: all } = await squad(coach, "Pupil", MANY, "2011-04-02");

/** Follows a run as a screen does; says when each revision arrived. */
async function watch(run, seen) {
  const answer = await fetch(`${base}/api/runs/${run}/live`, { headers: { cookie: coach.cookie } });
  let rest = "";
  for await (const chunk of answer.body) {
    rest += Buffer.from(chunk).toString();
    for (let end; (end = rest.indexOf("\n\n")) >= 0; rest = rest.slice(end + 2)) {
      const revision = Number(/"revision":(\d+)/.exec(rest.slice(0, end))?.[1] ?? -1);
      if (revision > 0) seen.set(revision, [...(seen.get(revision) ?? []), performance.now()]);
    }
  }
}
async function measure(many) {
  const people = all.slice(0, many);
  const run = randomUUID();
  const reasons = Object.fromEntries(people.map((p) => [p, "a class with its teacher"]));
  const conditions = { bench_cm: 30, warm_up: true, pulse_site: "wrist" };
  const alone = many === 1 ? { overrule_reason: "a class with its teacher" } : { reasons };
  await coach.send("POST", "/runs", { id: run, people, protocol: "class-step-3min", conditions, ...alone });
  const seen = new Map();
  for (let k = 0; k < SCREENS; k++) void watch(run, seen).catch(() => undefined);
  await new Promise((done) => setTimeout(done, 500));
  const device = randomUUID();
  let seq = 0;
  const wall = () => new Date().toISOString();
  await coach.send("POST", `/runs/${run}/events`, { events: [{ id: randomUUID(), device, seq: ++seq, mono_ms: 0, wall: wall(), kind: "clock_started" }] });
  const [answers, screens] = [[], []];
  for (let k = 0; k < EVENTS; k++) {
    const event = { id: randomUUID(), device, seq: ++seq, mono_ms: seq * 100, wall: wall(), kind: "tap", ...(many > 1 ? { slot: k % many } : {}) };
    const before = performance.now();
    const { view } = await coach.send("POST", `/runs/${run}/events`, { events: [event] });
    answers.push(performance.now() - before);
    for (let wait = 0; wait < 200 && (seen.get(view.revision) ?? []).length < SCREENS; wait++) await new Promise((done) => setTimeout(done, 1));
    screens.push(...(seen.get(view.revision) ?? []).map((t) => t - before));
  }
  console.log(
    `${many} ${many === 1 ? "performer" : "performers"}, ${EVENTS} events: answered p50 ${at(answers, 0.5).toFixed(1)} ms, p99 ${at(answers, 0.99).toFixed(1)} ms; on every of ${SCREENS} screens p50 ${at(screens, 0.5).toFixed(1)} ms, p99 ${at(screens, 0.99).toFixed(1)} ms (${screens.length} of ${EVENTS * SCREENS} seen)`,
  );
  return at(screens, 0.99);
}
const one = await measure(1);
const forty = await measure(MANY);
console.log(`to every screen, p99: ratio ${(forty / one).toFixed(2)}`);
process.exit(0);
