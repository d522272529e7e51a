import type { Answer, Condition } from "@/api/types";
import { typed } from "./typed";
import { toShown, type Units } from "./units";

/** Answers as the form holds them: words as typed, yes or no. */
export type Given = Record<string, string | boolean>;

/** Whether these answers are such as something is only shown or asked under. */
export const isSo = (when: { condition: string; is: string } | null | undefined, given: Record<string, unknown>) =>
  !when || given[when.condition] === when.is;

/** Answers as the form holds them, from those the server suggests. */
export const given = (answers: Record<string, unknown>, asked: Condition[] = [], units: Units = "metric"): Given => {
  const unit = (key: string) => asked.find((c) => c.key === key)?.unit ?? "";
  const shown = (key: string, answer: unknown) => (typeof answer === "number" ? String(toShown(answer, unit(key), units)) : String(answer));
  return Object.fromEntries(
    Object.entries(answers).map(([key, answer]) => [key, typeof answer === "boolean" ? answer : shown(key, answer)]),
  );
};

/** Answers as the server takes them. What is no number goes as it was typed: the answer says what to type instead. */
export function answers(asked: Condition[], from: Given, units: Units = "metric"): Record<string, Answer> {
  const out: Record<string, Answer> = {};
  for (const c of asked) {
    const answer = from[c.key];
    if (answer === undefined || answer === "") continue;
    const number = c.kind === "number" && typeof answer === "string" ? typed(answer, c.unit ?? "", units) : null;
    out[c.key] = number ?? answer;
  }
  return out;
}

/** A circumstance in few words: `warm-up: yes`; where the answer says what it is about, the answer alone: `arms swing`. */
export function circumstance({ label, value }: { label: string; value: string }): string {
  const about = label.toLowerCase();
  return value.toLowerCase().startsWith(about.split(" ")[0]!) ? value : `${about}: ${value}`;
}
