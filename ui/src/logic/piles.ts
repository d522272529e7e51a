/** People along a measure, those with one value in one pile. */
export interface Standing {
  value: number;
  shown: string;
  tag: string;
  name: string;
}
export interface Pile {
  shown: string;
  /** From the left, %. */
  at: number;
  /** Its value is written a line lower: the one before it is too near. */
  lowered: boolean;
  of: Standing[];
}

/** Two values nearer than this are written one below the other, %. */
const NEAR = 6;

export function piles(all: Standing[]): Pile[] {
  const by = new Map<string, Standing[]>();
  for (const one of [...all].sort((a, b) => a.value - b.value)) by.set(one.shown, [...(by.get(one.shown) ?? []), one]);
  const values = all.map((o) => o.value);
  const [least, most] = [Math.min(...values), Math.max(...values)];
  const drawn: Pile[] = [];
  for (const [shown, of] of by) {
    const at = most > least ? (100 * (of[0]!.value - least)) / (most - least) : 50;
    const before = drawn.at(-1);
    drawn.push({ shown, at, of, lowered: before !== undefined && at - before.at < NEAR && !before.lowered });
  }
  return drawn;
}
