/**
 * Events that have not reached the server yet, in IndexedDB: they survive a reload, a crash and a lost network, and go
 * in the sequence of their screen.
 */
import { openDB, type DBSchema, type IDBPDatabase } from "idb";
import type { RunEvent } from "@/api/types";

interface Waiting {
  run: string;
  device: string;
  seq: number;
  event: RunEvent;
}

interface Schema extends DBSchema {
  events: { key: [string, string, number]; value: Waiting; indexes: { byRun: string } };
}

let opened: Promise<IDBPDatabase<Schema>> | undefined;
const database = () =>
  (opened ??= openDB<Schema>("impulso", 1, {
    upgrade: (db) => db.createObjectStore("events", { keyPath: ["run", "device", "seq"] }).createIndex("byRun", "run"),
  }));

/** Keeps an event until the server has it. */
export async function keep(run: string, event: RunEvent) {
  await (await database()).put("events", { run, device: event.device, seq: event.seq, event });
}

/**
 * What waits for a run: one screen's events at a time, in its sequence. A strap's second may be older than a key pressed
 * before it arrived, so only the sequence says what goes first.
 */
export async function waiting(run: string): Promise<RunEvent[]> {
  const all = await (await database()).getAllFromIndex("events", "byRun", run);
  const begun = new Map<string, string>();
  for (const { device, event } of all) begun.set(device, [begun.get(device) ?? event.wall, event.wall].sort()[0]!);
  const order = (a: Waiting, b: Waiting) => begun.get(a.device)!.localeCompare(begun.get(b.device)!) || a.device.localeCompare(b.device);
  return all.sort((a, b) => order(a, b) || a.seq - b.seq).map((w) => w.event);
}

/** The server has these. */
export async function done(run: string, events: RunEvent[]) {
  const tx = (await database()).transaction("events", "readwrite");
  await Promise.all(events.map((e) => tx.store.delete([run, e.device, e.seq])));
  await tx.done;
}

/** Takes out an event the server refused and closes the gap it leaves in its screen's sequence. */
export async function withdraw(run: string, refused: RunEvent) {
  const tx = (await database()).transaction("events", "readwrite");
  await tx.store.delete([run, refused.device, refused.seq]);
  const later = (await tx.store.index("byRun").getAll(run)).filter((w) => w.device === refused.device && w.seq > refused.seq);
  for (const one of later.sort((a, b) => a.seq - b.seq)) {
    await tx.store.delete([run, one.device, one.seq]);
    await tx.store.put({ ...one, seq: one.seq - 1, event: { ...one.event, seq: one.seq - 1 } });
  }
  await tx.done;
}
