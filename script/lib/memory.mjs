// Twenty coaches work for some minutes: pages, whole tests, photographs, exports. The server's memory is printed by the minute, and once
// more when it has had nothing to do for a while. Called by script/bench.
//
//   node memory.mjs BASE PID MINUTES
import { readFile } from "node:fs/promises";
import { randomUUID } from "node:crypto";

const [base, pid, minutes] = process.argv.slice(2);
const CLIENTS = 20;
const QUIET_MIN = 2;
const until = Date.now() + Number(minutes) * 60_000;
const picture = await readFile(new URL("../../docs/screenshots/today.png", import.meta.url));
const wait = (ms) => new Promise((done) => setTimeout(done, ms));
const counts = {};

async function memory() {
  const status = await readFile(`/proc/${pid}/status`, "utf8");
  return Number(/VmRSS:\s+(\d+)/.exec(status)[1]) / 1024;
}

class Coach {
  cookie = "";
  async send(method, path, body, type = "application/json") {
    const answer = await fetch(`${base}/api${path}`, {
      method,
      headers: { cookie: this.cookie, ...(body === undefined ? {} : { "content-type": type }) },
      body: body === undefined || type !== "application/json" ? body : JSON.stringify(body),
    });
    const set = answer.headers.getSetCookie().find((c) => c.startsWith("impulso="));
    if (set) this.cookie = set.split(";")[0];
    const bytes = await answer.arrayBuffer();
    counts[answer.status] = (counts[answer.status] ?? 0) + 1;
    if (answer.status >= 500 && answer.status !== 503) throw new Error(`${method} ${path}: ${answer.status}`);
    return answer.ok && answer.headers.get("content-type")?.includes("json") ? JSON.parse(Buffer.from(bytes).toString()) : undefined;
  }
  async work(k) {
    const form = { practice: `Practice ${k}`, time_zone: "UTC", coach: "Ada Coach", email: `memory${k}@example.org`, password: "long enough password" };
    await this.send("POST", "/practices", form);
    const people = [];
    for (let n = 0; n < 6; n++) {
      const id = randomUUID();
      await this.send("POST", "/people", { id, name: `Client ${n}`, born: "1990-04-02", sex: "male", units: "metric", height: "178", mass: "80 kg" });
      people.push(id);
    }
    for (let turn = 0; Date.now() < until; turn++) {
      const person = people[turn % people.length];
      await this.send("GET", "/today");
      await this.send("GET", `/people/${person}`);
      const run = randomUUID();
      const conditions = { bench_cm: 41.3, warm_up: true, pulse_site: "wrist" };
      await this.send("POST", "/runs", { id: run, people: [person], protocol: "bench-step-3min", conditions, overrule_reason: "practice" });
      const device = randomUUID();
      const start = Date.now() - 300_000;
      let seq = 0;
      const event = (s, kind) => ({ id: randomUUID(), device, seq: ++seq, mono_ms: s * 1000, wall: new Date(start + s * 1000).toISOString(), ...kind });
      await this.send("POST", `/runs/${run}/events`, { events: [event(0, { kind: "clock_started" })] });
      const strap = Array.from({ length: 180 }, (_, s) => event(s + 1, { kind: "strap_heard", bytes: `00${(90 + (s % 60)).toString(16)}` }));
      await this.send("POST", `/runs/${run}/events`, { events: strap });
      await this.send("POST", `/runs/${run}/events`, { events: [event(208, { kind: "count_typed", count: 28 }), event(212, { kind: "finished" })] });
      if (turn % 4 === 0) await this.send("POST", `/people/${person}/photos?view=front`, picture, "application/octet-stream");
      if (turn % 10 === 5) await this.send("GET", "/practice/export");
      await wait(200);
    }
  }
}

console.log(`start ${(await memory()).toFixed(0)} MB`);
const work = Promise.all(Array.from({ length: CLIENTS }, (_, k) => new Coach().work(k)));
let failed;
work.catch((error) => (failed = error));
for (let minute = 1; Date.now() < until; minute++) {
  await wait(Math.min(60_000, until - Date.now()));
  console.log(`minute ${minute} ${(await memory()).toFixed(0)} MB`);
}
await work;
if (failed) throw failed;
await wait(QUIET_MIN * 60_000);
console.log(`idle ${(await memory()).toFixed(0)} MB, after ${QUIET_MIN} minutes with nothing to do`);
console.log(`answers by status: ${JSON.stringify(counts)}`);
