/** The units somebody thinks in, and what stands in them for what is stored in metric ones. */
export type Units = "metric" | "imperial";

/** How many of the stored unit one of the other is; source: the international yard and pound agreement of 1959. */
const IMPERIAL: Record<string, readonly [unit: string, per: number, decimals: number]> = {
  cm: ["in", 2.54, 2],
  kg: ["lb", 0.45359237, 1],
};

/** The unit that is shown for a stored one. */
export const shownUnit = (unit: string, units: Units) => (units === "imperial" && IMPERIAL[unit]?.[0]) || unit;

/** A stored number in the units that are shown. */
export function toShown(value: number, unit: string, units: Units): number {
  const other = units === "imperial" ? IMPERIAL[unit] : undefined;
  if (!other) return Math.round(value * 1e6) / 1e6;
  const per = 10 ** other[2];
  return Math.round((value / other[1]) * per) / per;
}

/** A number that was typed without a unit, in the unit that is stored. */
export function fromShown(value: number, unit: string, units: Units): number {
  const other = units === "imperial" ? IMPERIAL[unit] : undefined;
  return other ? value * other[1] : value;
}

/** A stored number with its unit, as it is shown. */
export const inUnits = (value: number, unit: string, units: Units) =>
  withUnit(String(toShown(value, unit, units)).replace("-", "−"), shownUnit(unit, units));

/** A number with its unit; a degree stands at its number. */
export const withUnit = (shown: string, unit: string) => (unit === "°" ? `${shown}°` : `${shown} ${unit}`.trim());
