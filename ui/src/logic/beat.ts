import type { Beat } from "@/api/types";

type Cycle = Pick<Beat, "per_minute" | "first_ms" | "places" | "shares">;

/** How long each part of a cycle lasts, ms: alike, or by its share. */
export function parts(beat: Cycle): number[] {
  const cycle = (beat.places.length * 60000) / beat.per_minute;
  const shares = beat.shares?.length === beat.places.length ? beat.shares : beat.places.map(() => 1);
  const whole = shares.reduce((sum, share) => sum + share, 0);
  return shares.map((share) => (cycle * share) / whole);
}

/** When a beat falls, ms of the run's clock. Worked out from the first one, so that nothing adds up. */
export function beatMs(beat: Cycle, k: number): number {
  const each = parts(beat);
  const cycle = (each.length * 60000) / beat.per_minute;
  const within = each.slice(0, k % each.length).reduce((sum, ms) => sum + ms, 0);
  return beat.first_ms + Math.floor(k / each.length) * cycle + within;
}

/** The beat that stands at a moment, and how much of it has gone by, 0 to 1. Before the first beat: the first, at 0. */
export function beatAt(beat: Cycle, ms: number): { index: number; part: number } {
  const each = parts(beat);
  const cycle = (each.length * 60000) / beat.per_minute;
  const since = Math.max(0, ms - beat.first_ms);
  const round = Math.floor(since / cycle + 1e-9);
  let left = Math.max(0, since - round * cycle);
  let place = 0;
  while (place < each.length - 1 && left >= each[place]! - 1e-6) left -= each[place++]!;
  return { index: round * each.length + place, part: Math.max(0, left) / each[place]! < 1e-9 ? 0 : left / each[place]! };
}
