// The results of a group of sixty with twelve tests: after three years of sessions and after one, turn and turn about. Called by
// script/bench, which moves the sessions a month apart between the two.
//
//   node group.mjs BASE make FILE      two groups, and in the file who may see them
//   node group.mjs BASE measure FILE
import { readFileSync, writeFileSync } from "node:fs";
import { asked, median, practice, sixty } from "./practice.mjs";

const [base, what, file] = process.argv.slice(2);
const [PEOPLE, TESTS, SESSIONS, TURNS] = [60, 12, 36, 60];
if (what === "make") {
  const coach = await practice(base, "group@example.org");
  const [long, short] = [await sixty(coach, "Long", SESSIONS), await sixty(coach, "Short", 1)];
  writeFileSync(file, JSON.stringify({ cookie: coach.cookie, long, short }));
} else {
  const { cookie, long, short } = JSON.parse(readFileSync(file, "utf8"));
  const coach = asked(base, cookie);
  const times = { [long]: [], [short]: [] };
  for (let k = 0; k < TURNS; k++)
    for (const group of [long, short]) {
      const before = performance.now();
      const page = await coach.send("GET", `/groups/${group}/standing`);
      if (page.tested !== PEOPLE || page.measures.length < TESTS) throw new Error(`${page.tested} tested, ${page.measures.length} measures`);
      times[group].push(performance.now() - before);
    }
  const [three, one] = [median(times[long]), median(times[short])];
  console.log(`${PEOPLE} people, ${TESTS} tests: ${three.toFixed(0)} ms after ${SESSIONS} sessions, ${one.toFixed(0)} ms after one; ratio ${(three / one).toFixed(2)}`);
}
