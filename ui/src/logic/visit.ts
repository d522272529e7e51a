const WORDS = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];

const ENDS: Record<string, string> = { one: "st", two: "nd", few: "rd", other: "th" };
const ordinal = new Intl.PluralRules("en", { type: "ordinal" });

/** `third`, `12th`: which time. */
export const nth = (n: number) => WORDS[n - 1] ?? `${n}${ENDS[ordinal.select(n)]}`;

/** What stands before a test's name on the rail. */
export const mark = (row: { stand: string; waits?: string | null }, at: number, next: boolean) =>
  row.stand === "done" ? "✓" : row.stand === "skipped" ? "–" : next ? String(at + 1) : row.waits ? "◦" : String(at + 1);
