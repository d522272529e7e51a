import type { SheetRow } from "@/api/types";
import { signed } from "./signs";
import { toShown, type Units } from "./units";

type Cell = SheetRow["cells"][number];

/** `left` and the like behind a label. */
export const rowName = (row: SheetRow) => (row.side ? `${row.label}, ${row.side}` : row.label);

/** Words as a sentence begins. */
export const sentence = (words: string) => words.charAt(0).toUpperCase() + words.slice(1);

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
  if (typeof value === "string") return choice(row, value);
  if (value && typeof value === "object") {
    const met = Object.values(value as Record<string, boolean>);
    return `${met.filter(Boolean).length} of ${met.length}`;
  }
  return "";
}

const choice = (row: SheetRow, key: string) => row.choices.find((c) => c.key === key)?.words ?? key;

/** Which kind of taking a row asks for. */
export function how(row: SheetRow): "read" | "count" | "watch" | "starts" | "load" | "ladder" | "seen" {
  for (const kind of ["count", "watch", "starts", "load", "ladder", "seen"] as const) if (kind in row.take) return kind;
  return "read";
}

/** The part of the take that its kind carries. */
export const rules = <T>(row: SheetRow) => Object.values(row.take)[0] as T;

/** Seconds of the clock of its own that a count runs against; 0 where it has none. */
export const bout = (row: SheetRow) => (how(row) === "count" ? (rules<{ seconds?: number | null }>(row).seconds ?? 0) : 0);

/** Whether it is counted beside something else. */
export const isBeside = (row: SheetRow) =>
  how(row) === "count" && (rules<{ also?: { input: string }[] }>(row).also ?? []).some((k) => k.input === row.input);

/** The best cell that counts, where more or less is better does not matter: the last one. */
export const last = (row: SheetRow): Cell | undefined => row.cells.at(-1);
