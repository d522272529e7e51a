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
  /** Its place among the entries of its page; screen and number may change until the server has it. */
  place?: Place;
}

/** The page that something was done on, and as the how manieth there. */
export interface Place {
  page: string;
  nth: number;
}

const pageOf = (w: Waiting) => w.place?.page ?? w.device;
const inOrder = (a: Waiting, b: Waiting) => (a.place?.nth ?? 0) - (b.place?.nth ?? 0) || a.seq - b.seq;

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

/** Keeps an event until the server has it; one whose number another event has already gets the next free one. */
export async function keep(run: string, event: RunEvent, place?: Place) {
  const note = ON_ITS_WAY + event.id;
  locally(() => localStorage.setItem(note, JSON.stringify({ run, event, place })));
  const tx = (open ?? (await database())).transaction("events", "readwrite");
  const written = tx.store.add({ run, device: event.device, seq: event.seq, event, place });
  tx.commit();
  const isFree = await Promise.all([written, tx.done]).then(
    () => true,
    () => false,
  );
  if (!isFree) await keepBehind(run, event, place);
  locally(() => localStorage.removeItem(note));
}

/** Keeps an event behind all that waits of its screen. */
async function keepBehind(run: string, event: RunEvent, place?: Place) {
  const tx = (await database()).transaction("events", "readwrite");
  const of = (await tx.store.index("byRun").getAll(run)).filter((w) => w.device === event.device);
  event.seq = Math.max(event.seq, 1 + Math.max(0, ...of.map((w) => w.seq)));
  await tx.store.put({ run, device: event.device, seq: event.seq, event, place });
  await tx.done;
}

/** Takes in what was on its way when the page went, in the sequence of its screen; the server knows what it has by its id. */
export async function recover(run: string) {
  const notes = Object.keys(localStorage).filter((key) => key.startsWith(ON_ITS_WAY));
  const found = notes.map((key) => ({
    key,
    ...(JSON.parse(localStorage.getItem(key)!) as { run: string; event: RunEvent; place?: Place }),
  }));
  const kept = (await waiting(run)).flat();
  for (const { key, run: of, event, place } of found.sort((a, b) => a.event.seq - b.event.seq)) {
    const old = Date.now() - Date.parse(event.wall) > SEEN_MS;
    if (of !== run && !old) continue;
    if (of === run && !kept.some((k) => k.id === event.id)) await keep(run, event, place);
    localStorage.removeItem(key);
  }
}

/**
 * The waiting entries of a run, by page, the one that began first in front; each in the order in which it was done. A strap's
 * second may be older than a key pressed before it arrived, so no clock says what goes first. Pages do not wait for each other.
 */
export async function waiting(run: string): Promise<RunEvent[][]> {
  const all = await (await database()).getAllFromIndex("events", "byRun", run);
  const of = new Map<string, RunEvent[]>();
  for (const one of all.sort(inOrder)) of.set(pageOf(one), [...(of.get(pageOf(one)) ?? []), one.event]);
  const begun = (events: RunEvent[]) => events.map((e) => e.wall).sort()[0]!;
  return [...of.values()].sort((a, b) => begun(a).localeCompare(begun(b)) || a[0]!.device.localeCompare(b[0]!.device));
}

/** The server has these. Another page of this browser may have given them other numbers meanwhile: they are known by their keys. */
export async function done(run: string, events: RunEvent[]) {
  const tx = (await database()).transaction("events", "readwrite");
  await takeOut(tx.store, run, events);
  await tx.done;
}

/** Takes out an event the server refused and closes the gap it leaves in its screen's sequence. */
export async function withdraw(run: string, refused: RunEvent) {
  const tx = (await database()).transaction("events", "readwrite");
  const [gone] = await takeOut(tx.store, run, [refused]);
  if (gone) await number(tx.store, run, gone.device, (w) => ({ seq: w.seq > gone.seq ? w.seq - 1 : w.seq }));
  await tx.done;
}

/** Gives the waiting entries of a screen new numbers from `from` on, and a new screen name if one is given. Returns the last number. */
export async function renumber(run: string, device: string, from: number, to = device): Promise<number> {
  const tx = (await database()).transaction("events", "readwrite");
  let next = from;
  await number(tx.store, run, device, () => ({ device: to, seq: next++ }));
  await tx.done;
  return next - 1;
}

/** Gives an event that waits another key, also where others name it. */
export async function rename(run: string, id: string, to: string) {
  const tx = (await database()).transaction("events", "readwrite");
  for (const one of await tx.store.index("byRun").getAll(run)) await tx.store.put({ ...one, event: renamed(one.event, id, to) });
  await tx.done;
}

/** An event with one key replaced by another. */
export const renamed = (event: RunEvent, id: string, to: string): RunEvent =>
  JSON.parse(JSON.stringify(event).replaceAll(`"${id}"`, `"${to}"`)) as RunEvent;

type Store = {
  index: (name: "byRun") => { getAll: (run: string) => Promise<Waiting[]> };
  delete: (key: [string, string, number]) => Promise<void>;
  put: (value: Waiting) => Promise<unknown>;
};

async function takeOut(store: Store, run: string, events: RunEvent[]): Promise<Waiting[]> {
  const ids = new Set(events.map((e) => e.id));
  const gone = (await store.index("byRun").getAll(run)).filter((w) => ids.has(w.event.id));
  for (const one of gone) await store.delete([run, one.device, one.seq]);
  return gone;
}

/** Gives what waits of a screen other places. */
async function number(store: Store, run: string, device: string, to: (one: Waiting) => { device?: string; seq: number }) {
  const of = (await store.index("byRun").getAll(run)).filter((w) => w.device === device).sort(inOrder);
  for (const one of of) await store.delete([run, one.device, one.seq]);
  for (const one of of) {
    const place = { device, ...to(one) };
    await store.put({ ...one, ...place, event: { ...one.event, ...place } });
  }
}
