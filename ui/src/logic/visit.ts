const WORDS = ["first", "second", "third", "fourth", "fifth", "sixth", "seventh", "eighth", "ninth", "tenth"];

const ENDS: Record<string, string> = { one: "st", two: "nd", few: "rd", other: "th" };
const ordinal = new Intl.PluralRules("en", { type: "ordinal" });

/** `third`, `12th`: which time. */
export const nth = (n: number) => WORDS[n - 1] ?? `${n}${ENDS[ordinal.select(n)]}`;

/** What stands before a test's name on the rail. */
export const mark = (row: { stand: string; waits?: string | null }, at: number, next: boolean) =>
  row.stand === "done" ? "✓" : row.stand === "skipped" ? "–" : next ? String(at + 1) : row.waits ? "◦" : String(at + 1);

interface Figure {
  label: string;
  value: string;
  side?: string | null;
}
/** What a test came to in a few words: `left 68° · right 74°`, `waist to height 0.55 · waist 39 in`. */
export const brief = (figures: Figure[]): string =>
  figures.map(({ label, value, side }) => [side ?? (figures.length > 1 ? label : null), value].filter(Boolean).join(" ")).join(" · ");
