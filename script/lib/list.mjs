// A list of as many results as a group visit can have, stored in one piece: how long it takes and what it leaves in memory. Called by
// script/bench.
//
//   node list.mjs BASE PID
import { readFile } from "node:fs/promises";
import { battery, practice, session, squad } from "./practice.mjs";

const [base, pid] = process.argv.slice(2);
const [PEOPLE, TURNS] = [200, 5];
const TESTS = ["plank", "plank", "vertical-jump", "vertical-jump", "wall-sit", "wall-sit", "wall-sit", "wall-sit", "up-and-go", "up-and-go", "plank", "plank"];
const coach = await practice(base, "list@example.org");
const { group } = await squad(coach, "Runner", PEOPLE);
const of = await battery(coach, TESTS);
for (let turn = 0; turn < TURNS; turn++) {
  const value = ({ usual }, n) => (usual ? Math.round((usual.from + usual.to) * 50 + n + turn) / 100 : 20);
  const { results, took } = await session(coach, group, of, value);
  console.log(`${results} results, time ${turn + 1}: ${took.toFixed(0)} ms, ${((took * 5000) / results).toFixed(0)} ms for 5,000`);
}
const status = await readFile(`/proc/${pid}/status`, "utf8");
const [now, most] = [/VmRSS:\s+(\d+)/, /VmHWM:\s+(\d+)/].map((m) => (Number(m.exec(status)[1]) / 1024).toFixed(0));
console.log(`memory: ${now} MB now, ${most} MB at the most`);
