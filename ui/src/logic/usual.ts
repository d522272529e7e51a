import { inUnits, shownUnit, toShown, withUnit, type Units } from "./units";

/** Slips of a unit: kilometres for metres, metres for centimetres, a comma that was lost. */
const SLIPS = [1000, 100, 10, 60, 0.1, 0.01, 0.001];
/** Counted in whole numbers: no comma was lost. */
const WHOLE = ["beats", "bpm", "reps"];

/** What is asked of a value outside what is usual, with what may have been meant; nothing where it is usual. */
export function question(
  value: number,
  unit: string,
  usual: { from: number; to: number } | null | undefined,
  units: Units,
  /** Both sides of its zero: what is asked is said as it was typed, without a sign. */
  signs?: { minus: string; plus?: string | null } | null,
): { ask: string; meant: number | null } | null {
  if (!usual || (value >= usual.from && value <= usual.to)) return null;
  const meant =
    SLIPS.map((by) => Math.round(value * by * 1e6) / 1e6).find(
      (v) => v >= usual.from && v <= usual.to && (Number.isInteger(v) || !WHOLE.includes(unit)),
    ) ?? null;
  const side = (n: number) => (n === 0 || !signs ? null : n < 0 ? signs.minus : signs.plus);
  const onItsSide = (n: number, words: (n: number) => string) => (side(n) ? `${side(n)} ${words(Math.abs(n))}` : words(n));
  const said = (n: number) => onItsSide(n, (m) => inUnits(m, unit, units));
  const instead = meant === null ? "" : ` Did you mean ${said(meant)}?`;
  // A range is a round number in whatever it is read.
  const around = (n: number) => {
    const [shown, other] = [toShown(n, unit, units), shownUnit(unit, units)];
    return other !== unit && Math.abs(shown) >= 10
      ? onItsSide(n, (m) => withUnit(String(Math.round(toShown(m, unit, units))), other))
      : said(n);
  };
  return { ask: `${said(value)}? Most are between ${around(usual.from)} and ${around(usual.to)}.${instead}`, meant };
}
