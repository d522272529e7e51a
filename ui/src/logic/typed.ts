/** Numbers as people write them, in the unit that is stored. */
import { fromShown, type Units } from "./units";

const INCH_CM = 2.54;
const POUND_KG = 0.45359237;

/** `1 120`, `12,4`, `−3.5`: a number, or nothing where it is none. Three digits behind a comma could be either and are none. */
function plain(text: string): number | null {
  const tidy = text.replace(/[\s\u00a0\u202f’']/g, "").replace(/[−–]/g, "-");
  if (/^-?\d{1,3},\d{3}$/.test(tidy)) return null;
  const dotted = tidy.replace(",", ".");
  return /^[+-]?(\d+\.?\d*|\.\d+)$/.test(dotted) ? Number(dotted) : null;
}

/** `7:02` or `1:02:30.5`: seconds. */
function clock(text: string): number | null {
  const parts = /^(?:(\d+):)?(\d+):(\d{1,2}(?:[.,]\d+)?)$/.exec(text.trim());
  if (!parts) return null;
  const [, hours, minutes, seconds] = parts;
  return Number(hours ?? 0) * 3600 + Number(minutes) * 60 + Number(seconds!.replace(",", "."));
}

/** `5'10"`, `5 ft 10 in`, `34 in`, `34"`: centimetres. */
function feet(text: string): number | null {
  const tidy = text
    .trim()
    .replace(/[’′]/g, "'")
    .replace(/[”″]|''/g, '"')
    .replace(/,/g, ".");
  const both = /^(\d+)\s*(?:'|ft)\s*(?:(\d+(?:\.\d+)?)\s*(?:"|in)?)?$/.exec(tidy);
  if (both) return (Number(both[1]) * 12 + Number(both[2] ?? 0)) * INCH_CM;
  const inches = /^([−-]?\d+(?:\.\d+)?)\s*(?:"|in)$/.exec(tidy);
  return inches ? Number(inches[1]!.replace("−", "-")) * INCH_CM : null;
}

/** `180 lb`: kilograms. */
function pounds(text: string): number | null {
  const found = /^(\d+(?:[.,]\d+)?)\s*lbs?$/.exec(text.trim());
  return found ? Number(found[1]!.replace(",", ".")) * POUND_KG : null;
}

/** `180 ft`, `60 yd`: metres. */
function yards(text: string): number | null {
  const found = /^(\d+(?:[.,]\d+)?)\s*(ft|'|yd|yds)$/.exec(text.trim().toLowerCase());
  return found ? Number(found[1]!.replace(",", ".")) * (found[2]!.startsWith("y") ? 0.9144 : 0.3048) : null;
}

/** What a tape in inches shows: `88½`, `88 1/2`. */
const PARTS: Record<string, string> = { "½": "1/2", "¼": "1/4", "¾": "3/4", "⅛": "1/8", "⅜": "3/8", "⅝": "5/8", "⅞": "7/8" };
function inDecimals(text: string): string {
  const spelled = text.replace(/[½¼¾⅛⅜⅝⅞]/g, (part) => ` ${PARTS[part]}`);
  return spelled
    .replace(/(?:(\d+)\s+|\b)(\d{1,2})\/(2|4|8|16)\b/g, (_, whole, over, under) => String(Number(whole ?? 0) + over / under))
    .trim();
}

/** What was typed, as a number in `unit`; nothing where it is none. A number without a unit is in the one that is shown. */
export function typed(written: string, unit: string, units: Units = "metric"): number | null {
  const text = inDecimals(written);
  const ending = text.trim().toLowerCase();
  const number = plain(text);
  if (number !== null) return fromShown(number, unit, units);
  const named = unit && ending.endsWith(unit.toLowerCase()) ? plain(ending.slice(0, -unit.length)) : null;
  if (named !== null) return named;
  if (unit === "s") return clock(text);
  if (unit === "cm") return feet(text);
  if (unit === "kg") return pounds(text);
  if (unit === "m") return yards(text);
  return null;
}

/** What a field expects, where what was typed is none of it. */
export function expected(unit: string, units: Units = "metric"): string {
  if (unit === "cm" && units === "imperial") return "Type inches such as 36.5, or centimetres such as 92.5 cm.";
  if (unit === "kg" && units === "imperial") return "Type pounds such as 180, or kilograms such as 82.5 kg.";
  if (unit === "s") return "Type seconds such as 58.4, or minutes and seconds such as 7:02.";
  if (unit === "cm") return "Type centimetres such as 92.5, or inches such as 36 in.";
  if (unit === "kg") return "Type kilograms such as 82.5, or pounds such as 180 lb.";
  return unit ? `Type a number in ${unit}, such as 12.5; 1120 or 1 120, not 1,120.` : "Type a number.";
}
