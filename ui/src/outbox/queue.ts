/**
 * Events that have not reached the server yet, in IndexedDB: they survive a reload, a crash and a lost network, and go
 * in the sequence of their screen.
 */
import { openDB, type DBSchema, type IDBPDatabase } from "idb";
import type { RunEvent, RunForm, RunPictures, RunView, VisitEvent } from "@/api/types";
import type { KeptLog } from "@/core/folding";

interface Waiting {
  run: string;
  device: string;
  seq: number;
  event: RunEvent;
}

/** A run as this screen last saw it. */
export interface Seen {
  door: string;
  view: RunView;
  /** How it was set up and what the server had stored of it, where this screen folds for itself. */
  log?: KeptLog;
  /** How far the server's clock was from this screen's, ms. */
  offset: number;
  at: number;
}

/** A run that this screen has something of which the server may not have yet. */
export interface Here {
  run: string;
  /** Whose it is: sent by this coach alone. */
  coach: string;
  at: number;
  /** How it was set up on this screen, until the server knows it. */
  form?: RunForm;
  /** The place of a visit that it fills. */
  visit?: { visit: string; place: number };
  /** The group visit, and who did it at which place. */
  group?: { visit: string; place: number; people: string[] };
  /** Who does what, in words. */
  who?: string;
  pictures?: RunPictures;
  /** How it ended on this screen, and what it came to. */
  ended?: "finished" | "stopped" | "discarded";
  came?: string[];
  /** Of many: who came to a result. */
  did?: string[];
  /** Why the server does not take it. */
  wrong?: string;
  /** It is stored outside its visit: its place was taken meanwhile. */
  apart?: boolean;
}

/** Something decided about a visit on this screen that the server does not know yet. */
export interface Change {
  id: string;
  coach: string;
  at: number;
  visit: string;
  event: VisitEvent;
}

interface Schema extends DBSchema {
  events: { key: [string, string, number]; value: Waiting; indexes: { byRun: string } };
  views: { key: string; value: Seen };
  runs: { key: string; value: Here };
  changes: { key: string; value: Change };
}

/** What was seen is of use for a day. */
const SEEN_MS = 24 * 3600 * 1000;

let opened: Promise<IDBPDatabase<Schema>> | undefined;
/** The database once it is open: what happens is then kept in the same moment. */
let open: IDBPDatabase<Schema> | undefined;
const database = () =>
  (opened ??= openDB<Schema>("impulso", 3, {
    upgrade: (db, from) => {
      if (from < 1) db.createObjectStore("events", { keyPath: ["run", "device", "seq"] }).createIndex("byRun", "run");
      if (from < 2) db.createObjectStore("views", { keyPath: "door" });
      if (from < 3) {
        db.createObjectStore("runs", { keyPath: "run" });
        db.createObjectStore("changes", { keyPath: "id" });
      }
    },
  }).then((db) => (open = db)));

/** Keeps a run as it is now, for a floor that comes up while nothing answers; lets go of those of yesterday. */
export async function remember(seen: Seen) {
  const tx = (await database()).transaction("views", "readwrite");
  const old = (await tx.store.getAll()).filter((one) => seen.at - one.at > SEEN_MS);
  await Promise.all([tx.store.put(seen), ...old.map((one) => tx.store.delete(one.door))]);
  await tx.done;
}

/** Lets go of every run that was seen here: whoever comes next sees nobody's. What waits to be sent stays, without a name. */
export async function forget() {
  await (await database()).clear("views");
  for (const { who: _, pictures: __, came: ___, did: ____, ...nameless } of await allHere()) await hold(nameless);
}

/** Notes a run that this screen has something of. */
export const hold = async (here: Here) => (await database()).put("runs", here);
/** What this screen has of a run. */
export const here = async (run: string): Promise<Here | undefined> => (await database()).get("runs", run);
/** Adds to what is noted of a run; a run that is not noted stays so. */
export async function note(run: string, more: Partial<Here>) {
  const tx = (await database()).transaction("runs", "readwrite");
  const was = await tx.store.get(run);
  if (was) await tx.store.put({ ...was, ...more });
  await tx.done;
}
/** Every run that this screen has something of, the oldest first. */
export const allHere = async (): Promise<Here[]> => (await (await database()).getAll("runs")).sort((a, b) => a.at - b.at);
/** The server has all of a run. */
export const letGo = async (run: string) => (await database()).delete("runs", run);

/** Keeps what was decided about a visit until the server has it. */
export const keepChange = async (change: Change) => (await database()).put("changes", change);
/** What was decided about visits here, the oldest first. */
export const changes = async (): Promise<Change[]> => (await (await database()).getAll("changes")).sort((a, b) => a.at - b.at);
/** The server has it. */
export const changeDone = async (id: string) => (await database()).delete("changes", id);

/** The run behind a door as it was last seen. */
export const restore = async (door: string): Promise<Seen | undefined> => (await database()).get("views", door);

/** What is on its way into the database stands here too, written in the moment of the key: a reload in the next loses nothing. */
const ON_ITS_WAY = "impulso.kept.";

/** Does something with the local storage; where there is none (or it is full) the database alone has to do. */
function locally(what: () => void) {
  try {
    what();
  } catch {
    /* nothing to be done */
  }
}

/** Keeps an event until the server has it. */
export async function keep(run: string, event: RunEvent) {
  const note = ON_ITS_WAY + event.id;
  locally(() => localStorage.setItem(note, JSON.stringify({ run, event })));
  const tx = (open ?? (await database())).transaction("events", "readwrite");
  const written = tx.store.put({ run, device: event.device, seq: event.seq, event });
  tx.commit();
  await Promise.all([written, tx.done]);
  locally(() => localStorage.removeItem(note));
}

/** Takes in what was on its way when the page went, in the sequence of its screen; the server knows what it has by its id. */
export async function recover(run: string) {
  const notes = Object.keys(localStorage).filter((key) => key.startsWith(ON_ITS_WAY));
  const found = notes.map((key) => ({ key, ...(JSON.parse(localStorage.getItem(key)!) as { run: string; event: RunEvent }) }));
  const kept = (await waiting(run)).flat();
  for (const { key, run: of, event } of found.sort((a, b) => a.event.seq - b.event.seq)) {
    const old = Date.now() - Date.parse(event.wall) > SEEN_MS;
    if (of !== run && !old) continue;
    if (of === run && !kept.some((k) => k.id === event.id || (k.device === event.device && k.seq === event.seq)))
      await (await database()).put("events", { run, device: event.device, seq: event.seq, event });
    localStorage.removeItem(key);
  }
}

/**
 * What waits for a run, by screen, the screen that began first in front; each in its own sequence. A strap's second may be
 * older than a key pressed before it arrived, so only the sequence says what goes first. Screens do not wait for each other.
 */
export async function waiting(run: string): Promise<RunEvent[][]> {
  const all = await (await database()).getAllFromIndex("events", "byRun", run);
  const of = new Map<string, RunEvent[]>();
  for (const { device, event } of all.sort((a, b) => a.seq - b.seq)) of.set(device, [...(of.get(device) ?? []), event]);
  const begun = (events: RunEvent[]) => events.map((e) => e.wall).sort()[0]!;
  return [...of.values()].sort((a, b) => begun(a).localeCompare(begun(b)) || a[0]!.device.localeCompare(b[0]!.device));
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
  await number(tx.store, run, refused.device, (seq) => (seq > refused.seq ? seq - 1 : seq));
  await tx.done;
}

/** What waits of a screen goes on at another number: what lay between is gone, and the server waits for it in vain. */
export async function renumber(run: string, device: string, first: number, expected: number) {
  const tx = (await database()).transaction("events", "readwrite");
  await number(tx.store, run, device, (seq) => seq - first + expected);
  await tx.done;
}

type Store = {
  index: (name: "byRun") => { getAll: (run: string) => Promise<Waiting[]> };
  delete: (key: [string, string, number]) => Promise<void>;
  put: (value: Waiting) => Promise<unknown>;
};

async function number(store: Store, run: string, device: string, to: (seq: number) => number) {
  const of = (await store.index("byRun").getAll(run)).filter((w) => w.device === device && to(w.seq) !== w.seq);
  for (const one of of.sort((a, b) => a.seq - b.seq)) {
    const seq = to(one.seq);
    await store.delete([run, one.device, one.seq]);
    await store.put({ ...one, seq, event: { ...one.event, seq } });
  }
}
