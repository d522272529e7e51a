/** A simulated squad that runs to the beeps: where each of them is, by when they reach their lines. */
import type { BeepCourse, SimulatedRunner } from "@/api/types";
import { whereAt } from "@/logic/beeps";

/** A simulated runner on the way: at which second of the run the schedule's second is theirs. */
export interface OnTheWay {
  slot: number;
  lane: number;
  /** Moments of the run, s, and the schedule's moments that a runner is at by then. */
  knots: [ownS: number, scheduleS: number][];
}

/** Everybody's way through the schedule. At each start after a rest all set off together. */
export function onTheWay(course: BeepCourse, squad: SimulatedRunner[]): OnTheWay[] {
  return squad.map(({ slot, lane, late_s }) => {
    const knots: OnTheWay["knots"] = [];
    const last = course.marks.findIndex((m) => m.beep === late_s.length);
    for (const mark of course.marks.slice(0, last + 1)) {
      if (mark.beep != null) knots.push([mark.at_s + late_s[mark.beep - 1]!, mark.at_s]);
      else if (mark.kind === "start" && mark.at_s >= (knots.at(-1)?.[0] ?? 0)) knots.push([mark.at_s, mark.at_s]);
    }
    return { slot, lane, knots };
  });
}

/** Where somebody is `s` seconds after the first start, m from line A, and whether they have stopped. */
export function whereIs(course: BeepCourse, { knots }: OnTheWay, s: number): { at: number; stopped: boolean } {
  const next = knots.findIndex(([own]) => own > s);
  if (next === -1) return { at: whereAt(course, knots.at(-1)?.[1] ?? 0), stopped: true };
  const from: [number, number] = knots[next - 1] ?? [0, 0];
  const to = knots[next]!;
  const share = to[0] > from[0] ? (s - from[0]) / (to[0] - from[0]) : 1;
  return { at: whereAt(course, Math.max(0, from[1] + share * (to[1] - from[1]))), stopped: false };
}
