import type { SheetRow, SheetState } from "@/api/types";
import { signed } from "./signs";
import { shownUnit, toShown, type Units } from "./units";

/** How a row is taken. */
export type Take = SheetRow["take"];
/** The rules of one way of taking. */
export type Of<K extends Take["kind"]> = Extract<Take, { kind: K }>;

/** The rules of a row that is taken so; nothing where it is taken otherwise. */
export const taken = <K extends Take["kind"]>(row: SheetRow | null | undefined, kind: K): Of<K> | null =>
  row?.take.kind === kind ? (row.take as Of<K>) : null;

/** `left` and the like behind a label. */
export const rowName = (row: SheetRow) => (row.side ? `${row.label}, ${row.side}` : row.label);

/** Words as a sentence begins. */
export const sentence = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);
/** Words in the middle of one: an abbreviation keeps its capitals. */
export const small = (words: string) => (/^\p{Lu}\p{Ll}|^\p{Lu}\s/u.test(words) ? words.charAt(0).toLowerCase() + words.slice(1) : words);

/** The rule in one line, while somebody is counting: the rest of it was said before. */
export const firstSentence = (words: string) => words.match(/^.*?[.!?](?=\s|$)/)?.[0] ?? words;

/** Seconds as a stopwatch writes them: `48.3`, `1:02.4`. */
export function stopwatch(seconds: number, step = 0.1): string {
  const digits = step < 0.1 ? 2 : 1;
  const whole = Math.floor(seconds / 60);
  const rest = (seconds - whole * 60).toFixed(digits);
  return whole ? `${whole}:${rest.padStart(digits + 3, "0")}` : rest;
}

/** A reading as the sheet shows it. */
export function shown(row: SheetRow, value: unknown, units: Units = "metric"): string {
  if (typeof value === "number")
    return row.unit === "s"
      ? stopwatch(value, row.step)
      : signed(row.signs ?? null, value, String(toShown(value, row.unit, units)).replace("-", "−"));
  if (typeof value === "boolean") return value ? "made" : "missed";
  if (typeof value === "string") return row.choices.find((c) => c.key === value)?.words ?? value;
  if (value && typeof value === "object") {
    const met = Object.values(value as Record<string, boolean>);
    return `${met.filter(Boolean).length} of ${met.length}`;
  }
  return "";
}

/** The same with its unit. */
export const shownWithUnit = (row: SheetRow, value: unknown, units: Units) => {
  const unit = typeof value === "number" && row.unit !== "s" ? shownUnit(row.unit, units) : row.unit === "s" ? "s" : "";
  return [shown(row, value, units), unit].filter(Boolean).join(" ");
};

/** Seconds of the clock of its own that a count runs against; 0 where it has none. */
export const bout = (row: SheetRow) => taken(row, "count")?.seconds ?? 0;

/** Whether it is counted beside something else. */
export const isBeside = (row: SheetRow) => (taken(row, "count")?.also ?? []).some((key) => key.input === row.input);

/** How many tries a row has in front of it: two where two that agree are enough. */
export const most = (row: SheetRow) => (row.agree_within != null && !row.again && row.cells.length < 3 ? 2 : row.tries);

const TIMES = ["first", "second", "third"];
/** Which time it is taken: `second time`, `try 3 of 6`; nothing where it is taken once. */
export function attempt(row: SheetRow): string {
  const of = most(row);
  if (of < 2) return "";
  const now = Math.min(row.cells.length + 1, Math.max(of, row.again ? row.cells.length + 1 : 0));
  return row.agree_within != null ? `${TIMES[now - 1] ?? `${now}th`} time` : `try ${Math.min(now, of)} of ${of}`;
}

/** What the key that saves a reading leads to: `Save and go to hips`, `Save, then try 2`. `at`: the row that is filled now. */
export function onward(sheet: SheetState, at: number): string {
  // Another row than the next one was chosen: the order goes on where it was.
  const then = at === sheet.next ? sheet.then : sheet.next;
  const [row, next] = [sheet.rows[at], then == null ? undefined : sheet.rows[then]];
  if (!row || !next) return "Save reading";
  if (then !== at) return `Save and go to ${small(rowName(next))}`;
  return row.agree_within != null
    ? `Save, then the ${TIMES[row.cells.length + 1] ?? "next"} time`
    : `Save, then try ${row.cells.length + 2}`;
}

/** A reading of several tries whose order matters says how the earlier ones went: `First time 97.5 cm`. */
export const earlier = (row: SheetRow, units: Units) =>
  row.cells.map((cell, k) => ({
    label: row.agree_within != null ? `${sentence(TIMES[k] ?? `${k + 1}th`)} time` : `Try ${k + 1}`,
    value: shownWithUnit(row, cell.value, units),
    counts: cell.counts,
  }));
