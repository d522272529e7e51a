import { createPinia, setActivePinia } from "pinia";
import { beforeEach, expect, test, vi } from "vitest";
import { api } from "@/api/client";
import * as queue from "@/outbox/queue";
import { useSession } from "./session";
import { useWaiting } from "./waiting";

type Asked = { method: string; path: string; body: unknown };
let asked: Asked[] = [];
let answer: (one: Asked) => Response | Error = () => new Error("no network");
const says = (status: number, body: unknown) =>
  new Response(JSON.stringify(body), { status, headers: { "content-type": "application/json" } });

beforeEach(async () => {
  setActivePinia(createPinia());
  asked = [];
  for (const one of await queue.allHere()) await queue.letGo(one.run);
  for (const one of await queue.changes()) await queue.changeDone(one.id);
  vi.stubGlobal("fetch", async (request: Request) => {
    const one = { method: request.method, path: new URL(request.url).pathname, body: await request.json().catch(() => null) };
    asked.push(one);
    const got = answer(one);
    if (got instanceof Error) throw got;
    return got;
  });
  useSession().info = { id: "ada" } as never;
});

const form = (id: string) => ({ id, people: ["p"], protocol: "plank", conditions: {} }) as never;
const event = (run: string, seq: number) => ({
  id: `${run} ${seq}`,
  kind: "finished",
  device: `of ${run}`,
  seq,
  wall: "2026-11-30T09:00:00Z",
  mono_ms: 0,
});
const hold = (run: string, at: number, more: Partial<queue.Here> = {}) => queue.hold({ run, coach: "ada", at, ...more });
const took = (one: Asked) =>
  one.path.endsWith("/events") && one.path.includes("/runs/")
    ? says(200, { stored: 1, known: 0, late: 0, events: [], view: { closed: true } })
    : says(200, { visit: null });

test("runs and decisions go in the order in which they happened, each run told of before its events", async () => {
  await hold("second", 30, { form: form("second"), ended: "finished" });
  await hold("first", 10, { form: form("first"), ended: "finished" });
  await queue.keepChange({ id: "c", coach: "ada", at: 20, visit: "v", event: { kind: "closed" } });
  await queue.keep("first", event("first", 1) as never);
  await queue.keep("second", event("second", 1) as never);
  const waiting = useWaiting();
  await waiting.look();
  expect(waiting.count).toBe(3);
  answer = took;
  await waiting.send();
  expect(asked.map((a) => a.path)).toEqual([
    "/api/runs",
    "/api/runs/first/events",
    "/api/visits/v/events",
    "/api/runs",
    "/api/runs/second/events",
  ]);
  expect(waiting.count).toBe(0);
  expect(await queue.allHere()).toEqual([]);
});

test("where nothing answers nothing is lost, and another coach’s work is not sent", async () => {
  await hold("mine", 1, { form: form("mine"), ended: "finished" });
  await hold("theirs", 2, { coach: "bo", form: form("theirs"), ended: "finished" });
  answer = () => new Error("no network");
  const waiting = useWaiting();
  await waiting.send();
  expect(waiting.runs.map((r) => r.run)).toEqual(["mine"]);
  answer = took;
  await waiting.send();
  expect((await queue.allHere()).map((r) => r.run)).toEqual(["theirs"]);
});

test("a run that is not taken says why and holds up nothing; one that needs a reason gets the true one", async () => {
  await hold("bad", 1, { form: form("bad"), ended: "finished", who: "Maud · Plank" });
  await hold("unknown", 2, { form: form("unknown"), ended: "finished" });
  answer = (one) => {
    const body = one.body as { id?: string; overrule_reason?: string };
    if (body.id === "bad") return says(404, { code: "not_found", message: "Nobody is found here." });
    if (body.id === "unknown" && !body.overrule_reason)
      return says(422, { code: "missing_input", field: "overrule_reason", message: "Why?" });
    return took(one);
  };
  const waiting = useWaiting();
  await waiting.send();
  expect(waiting.runs.map((r) => [r.run, r.wrong])).toEqual([["bad", "Nobody is found here."]]);
  expect(asked.map((a) => (a.body as { overrule_reason?: string }).overrule_reason).filter(Boolean)).toEqual([
    "Begun without a network: what speaks against it was not known on the device.",
  ]);
  await waiting.giveUp("bad");
  expect(waiting.count).toBe(0);
});

test("a kept answer says how old the page is, and the next live one that the line is back", async () => {
  const waiting = useWaiting();
  const kept = new Response("{}", { headers: { "x-kept": "Mon, 30 Nov 2026 09:12:00 GMT" } });
  answer = () => kept;
  await api.GET("/api/today");
  expect([waiting.away, waiting.keptAt]).toEqual([true, Date.parse("2026-11-30T09:12:00Z")]);
  answer = () => says(200, {});
  await api.GET("/api/today");
  expect([waiting.away, waiting.keptAt]).toEqual([false, null]);
  // What waited is being sent.
  await waiting.send();
});

test("what happened in a run that passes faster is sent by its own clock", async () => {
  const created_at = new Date(Date.now() - 60_000).toISOString();
  const view = { id: "fast", created_at, clock_rate: 4, revision: 1, closed: false };
  await queue.remember({ door: "fast", view: view as never, offset: 0, at: Date.now() });
  await hold("fast", 1, { ended: "finished" });
  await queue.keep("fast", event("fast", 1) as never);
  answer = took;
  await useWaiting().send();
  const { sent_at } = asked.at(-1)!.body as { sent_at: string };
  expect(Math.round((Date.parse(sent_at) - Date.parse(created_at)) / 10_000)).toBe(24);
});

test("whoever signs out leaves no name behind, and what waits is still sent when they are back", async () => {
  await hold("mine", 1, { form: form("mine"), who: "Maud · Plank", came: ["30 s"], ended: "finished" });
  await queue.forget();
  const [left] = await queue.allHere();
  expect(left).toEqual({ run: "mine", coach: "ada", at: 1, form: form("mine"), ended: "finished" });
});
