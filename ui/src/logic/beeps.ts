/** A run to beeps as it is drawn and sounded: the schedule that the core worked out, laid along the pieces that are run. */
import type { BeepCourse, BeepMark, BeepState } from "@/api/types";

type Pieces = BeepState["pieces"];

/** What a moment sounds like. */
export type Signal = "start" | "stage" | "line" | "turn" | "rest";
export interface Moment {
  atMs: number;
  signal: Signal;
  /** What it was, for somebody who did not hear it. */
  words: string;
}
export interface Called {
  at_ms: number;
  say: string;
}

const SIGNAL: Record<BeepMark["kind"], Signal> = { start: "start", stage: "stage", judged: "line", turn: "turn", rest: "rest" };
/** Of two at one moment, the first of these is heard. */
const LOUDEST: Signal[] = ["start", "stage", "line", "turn", "rest"];

const named = (mark: BeepMark) =>
  mark.kind === "start"
    ? `the start at level ${mark.level}`
    : mark.kind === "turn"
      ? `the turn of level ${mark.level}, shuttle ${mark.shuttle}`
      : `level ${mark.level}, shuttle ${mark.shuttle}`;

/** Where in the schedule a moment of the run's clock lies, s; before the start less than nothing. */
export function scheduleS(pieces: Pieces, ms: number): number {
  const piece = pieces.findLast((p) => p.from_ms <= ms) ?? pieces[0];
  if (!piece) return -Infinity;
  return piece.at_s + (Math.min(ms, piece.until_ms ?? ms) - piece.from_ms) / 1000;
}

/** Everything that sounds, in order, one signal a moment. */
export function moments(course: BeepCourse, pieces: Pieces): Moment[] {
  const all: Moment[] = [];
  pieces.forEach((piece, k) => {
    const at = (s: number) => piece.from_ms + (s - piece.at_s) * 1000;
    const untilMs = piece.until_ms ?? Infinity;
    if (k > 0) all.push({ atMs: piece.from_ms, signal: "start", words: "the start after the pause" });
    for (const mark of course.marks) {
      // What ended as the piece begins sounded before the pause.
      if (mark.at_s < piece.at_s - 1e-9 || (k > 0 && mark.at_s < piece.at_s + 1e-9)) continue;
      const atMs = at(mark.at_s);
      if (atMs >= untilMs) break;
      all.push({ atMs, signal: SIGNAL[mark.kind], words: named(mark) });
    }
  });
  const first = new Map<number, Moment>();
  for (const one of all) {
    const key = Math.round(one.atMs * 10);
    const known = first.get(key);
    if (!known || LOUDEST.indexOf(one.signal) < LOUDEST.indexOf(known.signal)) first.set(key, one);
  }
  return [...first.values()].sort((a, b) => a.atMs - b.atMs);
}

/** Everything that is called, in order. */
export function calls(course: BeepCourse, pieces: Pieces): Called[] {
  return pieces
    .flatMap((piece, k) => {
      const of = course.calls
        .filter((c) => c.at_ms >= piece.at_s * 1000 - 1e-6)
        .map((c) => ({ at_ms: piece.from_ms + c.at_ms - piece.at_s * 1000, say: c.say }));
      // Before a level goes on after a pause, as before every start.
      const again = k === 0 ? [] : course.lead.map((c) => ({ at_ms: piece.from_ms + c.at_ms, say: c.say }));
      return [...again, ...of.filter((c) => c.at_ms < (piece.until_ms ?? Infinity))];
    })
    .sort((a, b) => a.at_ms - b.at_ms);
}

/** What stands on the screen at a moment of the schedule. */
export interface Standing {
  level: number;
  speed: number;
  /** The shuttle that is run, and how many the level has. */
  shuttle: number;
  of: number;
  /** Run so far, m. */
  distance: number;
  /** Judged beeps that have sounded. */
  sounded: number;
  /** The beep to which a miss belongs now. */
  judged: number;
  /** Seconds to the next signal, and what it is. */
  toNext: number | null;
  next: "start" | "turn" | "line" | "end" | null;
  resting: boolean;
  /** Where the next stage starts, and towards which line. */
  startsAt: string | null;
  towards: string | null;
  /** Where a runner should be, m from line A, and which way they go. */
  dot: number;
  heading: 1 | -1 | 0;
}

/** The nearest at or before `last` of which it is true. */
function back(marks: BeepMark[], last: number, is: (mark: BeepMark) => boolean): BeepMark | undefined {
  for (let k = last; k >= 0; k--) if (is(marks[k]!)) return marks[k];
  return undefined;
}
const place = (line: string) => line.charCodeAt(0) - 65;
export function standing(course: BeepCourse, s: number): Standing {
  const { marks, leg_m: leg } = course;
  let last = -1;
  while (last + 1 < marks.length && marks[last + 1]!.at_s <= s) last++;
  const passed = marks.slice(0, last + 1);
  const coming = marks.slice(last + 1);
  const at = passed.findLast((m) => m.kind !== "stage") ?? marks[0]!;
  const next = coming.find((m) => m.kind !== "stage") ?? null;
  const resting = at.kind === "rest";
  const start = resting || s < 0 ? (coming.find((m) => m.kind === "start") ?? (s < 0 ? marks[0]! : null)) : null;
  const run = start ?? coming.find((m) => m.kind === "judged") ?? at;
  const level = marks.filter((m) => m.level === run.level && m.kind === "judged");
  const nextSounds = { start: "start", stage: null, judged: "line", turn: "turn", rest: "end" } as const;
  return {
    level: run.level,
    speed: run.speed_kmh,
    shuttle: Math.max(run.shuttle, 1),
    of: level.length,
    distance: passed.findLast((m) => m.kind === "judged")?.distance_m ?? 0,
    sounded: passed.findLast((m) => m.beep != null)?.beep ?? 0,
    judged: marks.findLast((m) => m.beep != null && m.at_s - course.early_s <= s)?.beep ?? 0,
    toNext: next ? next.at_s - s : null,
    next: next ? nextSounds[next.kind] : null,
    resting,
    startsAt: start?.line ?? null,
    towards: start?.towards ?? null,
    ...dotAt(marks, last, s, leg),
  };
}

/** The lines of a course, from the first. */
export const linesOf = (course: BeepCourse) => [...new Set(course.marks.map((m) => m.line))].sort();

/** Where somebody is who reaches every line at its beep, m from line A, `s` seconds after the first start. */
export function whereAt(course: BeepCourse, s: number): number {
  let [low, high] = [0, course.marks.length];
  while (low < high) {
    const middle = (low + high) >> 1;
    if (course.marks[middle]!.at_s <= s) low = middle + 1;
    else high = middle;
  }
  return dotAt(course.marks, low - 1, s, course.leg_m).dot;
}

/** Where a runner should be: on the way from line to line, standing in a turn, walking to where the next stage starts. */
function dotAt(marks: BeepMark[], last: number, s: number, leg: number): Pick<Standing, "dot" | "heading"> {
  const from = back(marks, last, (m) => m.kind !== "stage");
  if (!from) return { dot: 0, heading: 0 };
  const to = marks[last + 1]?.kind === "stage" ? marks[last + 2] : marks[last + 1];
  if (from.kind === "rest") {
    // A level that ran to its shuttles ends at a line; one that ran to the clock, on the way to the next.
    const before = back(marks, last - 1, (m) => m.kind === "judged");
    const goal = place(from.line) * leg;
    const beyond = before ? from.distance_m - before.distance_m : 0;
    const begin = before ? place(before.line) * leg + Math.sign(goal - place(before.line) * leg) * beyond : goal;
    const part = to ? (s - from.at_s) / (to.at_s - from.at_s) : 1;
    return { dot: begin + (goal - begin) * Math.min(1, part), heading: Math.sign(goal - begin) as 1 | -1 | 0 };
  }
  if (!to) return { dot: place(from.line) * leg, heading: 0 };
  const legS = leg / (from.speed_kmh / 3.6);
  const speedS = to.kind === "rest" ? null : leg / (to.speed_kmh / 3.6);
  // A level that ends by the clock ends on the way: towards the line that is walked to.
  const [goal, arrives] = to.kind === "rest" ? [place(to.line), null] : [place(to.line), to.at_s];
  const begin = place(from.line);
  const heading = Math.sign(goal - begin) as 1 | -1 | 0;
  const run =
    arrives === null ? Math.min(1, Math.max(0, (s - from.at_s) / legS)) : Math.min(1, Math.max(0, 1 - (arrives - s) / (speedS ?? legS)));
  return { dot: (begin + heading * run) * leg, heading };
}
