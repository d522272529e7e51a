import type { BeepCourse, BeepMark } from "@/api/types";

export const mark = (at_s: number, kind: BeepMark["kind"], line: string, more: Partial<BeepMark> = {}): BeepMark => ({
  at_s,
  kind,
  line,
  level: 5,
  shuttle: 1,
  speed_kmh: 10,
  distance_m: 0,
  ...more,
});
/** Two runs of 2 × 20 m at 10 km/h with ten seconds between them. */
export const twice: BeepCourse = {
  leg_m: 20,
  zone_m: 0,
  early_s: 1,
  by_clock: false,
  lead: [
    { at_ms: -5000, say: "Five seconds.", tone: "plain" },
    { at_ms: -2000, say: "Ready.", tone: "plain" },
  ],
  calls: [
    { at_ms: 19400, say: "Five seconds.", tone: "plain" },
    { at_ms: 24400, say: "Level 6.", tone: "plain" },
  ],
  marks: [
    mark(0, "start", "A", { towards: "B" }),
    mark(0, "stage", "A"),
    mark(7.2, "turn", "B", { distance_m: 20 }),
    mark(14.4, "judged", "A", { distance_m: 40, beep: 1 }),
    mark(14.4, "rest", "A", { distance_m: 40 }),
    mark(24.4, "start", "A", { level: 6, towards: "B", distance_m: 40 }),
    mark(24.4, "stage", "A", { level: 6, distance_m: 40 }),
    mark(31.6, "turn", "B", { level: 6, distance_m: 60 }),
    mark(38.8, "judged", "A", { level: 6, distance_m: 80, beep: 2 }),
  ],
};
