import type { Answer, Condition } from "@/api/types";
import { typed } from "./typed";

/** Answers as the form holds them: words as typed, yes or no. */
export type Given = Record<string, string | boolean>;

/** Answers as the form holds them, from those the server suggests. */
export const given = (answers: Record<string, unknown>): Given =>
  Object.fromEntries(Object.entries(answers).map(([key, answer]) => [key, typeof answer === "boolean" ? answer : String(answer)]));

/** Answers as the server takes them. What is no number goes as it was typed: the answer says what to type instead. */
export function answers(asked: Condition[], from: Given): Record<string, Answer> {
  const out: Record<string, Answer> = {};
  for (const c of asked) {
    const answer = from[c.key];
    if (answer === undefined || answer === "") continue;
    const number = c.kind === "number" && typeof answer === "string" ? typed(answer, c.unit ?? "") : null;
    out[c.key] = number ?? answer;
  }
  return out;
}
