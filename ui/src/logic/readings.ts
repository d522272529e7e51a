import type { Input } from "@/api/types";
import { hasSign, signsOf } from "./signs";
import { expected, typed } from "./typed";
import { toShown, type Units } from "./units";
import { question } from "./usual";

/** A reading in the shape of the contract. */
export type Reading = number | boolean | string | (number | null)[] | boolean[] | { [key: string]: Reading };

/** Why what was typed is no reading. */
export interface Wrong {
  field: string;
  message: string;
}

/** The readings that were typed under `key`, `key.side`, `key.side.try` and `key.side.point`; or the first that is none. */
export function readings(
  inputs: Input[],
  text: Record<string, string>,
  given: Record<string, unknown> = {},
  units: Units = "metric",
): Record<string, Reading> | Wrong {
  const found: Record<string, Reading> = {};
  for (const input of inputs) {
    const sides = input.sides?.length ? input.sides : [""];
    const bySide: Record<string, Reading> = {};
    for (const side of sides) {
      const value = ofSide(input, side, text, given, units);
      if (value !== null && isWrong(value)) return value;
      if (value !== null) bySide[side] = value;
    }
    if (Object.keys(bySide).length) found[input.key] = input.sides?.length ? bySide : bySide[""]!;
  }
  return found;
}

/** Readings as the fields hold them: what was typed would be read as this. `show`: a number as it is written. */
export function texts(inputs: Input[], values: Record<string, unknown>, show: (n: number, unit: string) => string): Record<string, string> {
  const found: Record<string, string> = {};
  const put = (key: (string | number)[], value: string) => (found[key.filter((part) => part !== "").join(".")] = value);
  for (const input of inputs) {
    const whole = values[input.key];
    if (whole === undefined || whole === null) continue;
    const bySide = input.sides?.length ? (whole as Record<string, unknown>) : { "": whole };
    for (const [side, value] of Object.entries(bySide)) {
      const one = (v: unknown) => text(input, v, show);
      // A length, and on which side of the zero it lies.
      if (input.signs) {
        const list = Array.isArray(value) ? (value as (number | null)[]) : [value as number];
        list.forEach((v, k) => {
          const n = (input.tries ?? 1) > 1 ? k + 1 : "";
          put([input.key, side, n], typeof v === "number" ? one(Math.abs(v)) : one(v));
          if (v) put([input.key, side, n, "sign"], v < 0 ? "-" : "+");
        });
        continue;
      }
      if (Array.isArray(value)) value.forEach((v, k) => put([input.key, side, k + 1], one(v)));
      else if (kindOf(input) === "points")
        for (const [point, met] of Object.entries(value as object)) put([input.key, side, point], met ? "yes" : "no");
      else put([input.key, side, (input.tries ?? 1) > 1 ? 1 : ""], one(value));
    }
  }
  return found;
}
/** One stored value as its field holds it; a try that did not count is an x. */
function text(input: Input, value: unknown, show: (n: number, unit: string) => string): string {
  if (value === null) return "x";
  if (typeof value === "boolean" || kindOf(input) === "yes_no") return value ? "yes" : "no";
  return typeof value === "number" ? show(value, input.unit ?? "") : String(value);
}

/** Readings in which those whose fields were not touched stay as they were stored, to their last digit. */
export function withUntouched(
  inputs: Input[],
  values: Record<string, Reading>,
  fields: Record<string, string>,
  stored: Record<string, unknown>,
  units: Units,
): Record<string, Reading> {
  const before = texts(inputs, stored, shownIn(units));
  const of = (key: string, from: Record<string, string>) => {
    const own = Object.entries(from).filter(([field, typed]) => typed && (field === key || field.startsWith(`${key}.`)));
    return JSON.stringify(own.sort());
  };
  const untouched = inputs.filter((i) => i.key in stored && of(i.key, before) === of(i.key, fields));
  return { ...values, ...Object.fromEntries(untouched.map((i) => [i.key, stored[i.key] as Reading])) };
}

/** The first side that is missing beside one that was read. */
export function missingSide(inputs: Input[], values: Record<string, Reading>): Wrong | null {
  for (const input of inputs) {
    const read = values[input.key];
    if (!input.sides?.length || !read || typeof read !== "object") continue;
    const side = input.sides.find((s) => !(s in read));
    if (side)
      return { field: input.key, message: `${input.label}: the ${side} side is missing. Enter it, or save the test with one side only.` };
  }
  return null;
}

const kindOf = (input: Input) => input.kind ?? "number";

export const isWrong = (value: unknown): value is Wrong =>
  typeof value === "object" && value !== null && "field" in value && "message" in value;

function ofSide(
  input: Input,
  side: string,
  text: Record<string, string>,
  given: Record<string, unknown>,
  units: Units,
): Reading | Wrong | null {
  const signs = signsOf(input, given);
  const at = (part: string | number = "") => (text[[input.key, side, part].filter((p) => p !== "").join(".")] ?? "").trim();
  const kind = input.kind ?? "number";
  if (kind === "choice" || kind === "words") return at() || null;
  if (kind === "points") {
    const judged = (input.points as [string, string][]).flatMap(([key]) => (at(key) ? [[key, at(key) === "yes"] as const] : []));
    return judged.length ? Object.fromEntries(judged) : null;
  }
  const most = input.tries ?? 1;
  const written = most === 1 ? [at()] : Array.from({ length: most }, (_, k) => at(k + 1));
  while (written.length && !written.at(-1)) written.pop();
  if (!written.length) return null;
  if (kind === "yes_no") {
    const marks = written.map((w) => w === "yes");
    return most === 1 ? marks[0]! : marks;
  }
  const numbers: (number | null)[] = [];
  for (const [k, one] of written.entries()) {
    const struck = most > 1 && /^[x×–-]?$/i.test(one);
    const number = struck ? null : typed(one, input.unit ?? "", units);
    if (!struck && number === null)
      return { field: input.key, message: `${input.label}: “${one}” is no number here. ${expected(input.unit ?? "", units)}` };
    if (signs && number) {
      const which = at(most === 1 ? "sign" : `${k + 1}.sign`);
      if (hasSign(one))
        return {
          field: input.key,
          message: `${input.label}: type the length without a sign${signs.plus ? `, and choose ${signs.minus} or ${signs.plus}` : ""}.`,
        };
      if (signs.plus && !which)
        return { field: input.key, message: `${input.label}, ${one}: ${signs.minus} or ${signs.plus}? Choose one.` };
      numbers.push(which === "-" || !signs.plus ? -number : number);
      continue;
    }
    numbers.push(number);
  }
  return most === 1 ? numbers[0]! : numbers;
}

/** The first reading that lies outside what is usual, as a question; nothing where all are usual. */
export function unusual(inputs: Input[], values: Record<string, Reading>, units: Units): Wrong | null {
  for (const input of inputs) {
    const numbers = [values[input.key]].flatMap((v) => (v && typeof v === "object" && !Array.isArray(v) ? Object.values(v) : [v])).flat();
    for (const n of numbers) {
      const asked = typeof n === "number" ? question(n, input.unit ?? "", input.usual, units) : null;
      if (asked) return { field: input.key, message: asked.ask };
    }
  }
  return null;
}

/** The inputs, where the part of the last lap is usually no longer than a lap of this length, m. More than two laps is refused anyway. */
export function withinLap(inputs: Input[], rest: string | null | undefined, lap: unknown, part: unknown): Input[] {
  if (typeof lap !== "number" || typeof part !== "number" || part > 2 * lap) return inputs;
  return inputs.map((i) => (i.key === rest && i.usual ? { ...i, usual: { ...i.usual, to: Math.min(i.usual.to, lap) } } : i));
}

/** A stored number as its field shows it. */
export const shownIn = (units: Units) => (n: number, unit: string) => String(toShown(n, unit, units));
