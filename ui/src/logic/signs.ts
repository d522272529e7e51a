import { isSo } from "./conditions";
import type { Input, SheetRow } from "@/api/types";

export type Signs = NonNullable<Input["signs"]>;

/** The words of either side of a zero, under these answers; nothing where the number has none. */
export function signsOf(input: Input, given: Record<string, unknown>): Signs | null {
  const signs = input.signs ?? null;
  return signs && isSo(signs.when, given) ? signs : null;
}

/** What is written with a sign of its own, although the side is chosen. */
export const hasSign = (text: string) => /^\s*[-−–+]/.test(text);

/** What is said to a length that was typed with a sign: the side is chosen, or is the only one there is. */
export const withoutSign = ({ minus, plus }: { minus: string; plus?: string | null }): string =>
  `Type the length without a sign${plus ? `, then choose ${minus} or ${plus}` : `: it counts as ${minus}`}.`;

/** `gap 6.5` for −6.5. */
export const signed = (signs: SheetRow["signs"], value: number, text: string) =>
  !signs || value === 0 ? text : `${value < 0 ? signs.minus : (signs.plus ?? "")} ${text.replace(/^[-−]/, "")}`;
