/** A value that is typed on a floor of many: read in its unit, and asked about once where it is unusual. */
import { expected, typed } from "./typed";
import type { Units } from "./units";
import { question } from "./usual";

interface Typed {
  unit: string;
  usual?: { from: number; to: number } | null;
  signs?: { minus: string; plus?: string | null } | null;
}

/** `meant`: an unusual text that was asked about before, and stands when it comes again. */
export function askedOnce(
  text: string,
  of: Typed,
  units: Units,
  sign: 1 | -1,
  meant: string | null,
): { value: number } | { wrong: string; asked: boolean } {
  const read = typed(text, of.unit, units);
  if (read === null) return { wrong: expected(of.unit, units), asked: false };
  const odd = question(sign * read, of.unit, of.usual, units, of.signs);
  if (odd && meant !== text) return { wrong: `${odd.ask} Correct it, or press again to keep it.`, asked: true };
  return { value: sign * read };
}
