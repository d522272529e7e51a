import type { Procedure } from "@/api/types";

type Of<F extends Procedure["family"]> = Extract<Procedure, { family: F }>;

/** The rules of this family; nothing where the test is done otherwise. */
export function ofFamily<F extends Procedure["family"]>(procedure: Procedure | null | undefined, family: F): Of<F> | null {
  return procedure?.family === family ? (procedure as Of<F>) : null;
}

/** The stages of its ladder in words, easiest first; with `input`, only where the ladder counts into that. */
export function stagesOf(procedure: Procedure, input?: string): string[] | undefined {
  const takes = (ofFamily(procedure, "attempts")?.legs ?? []).map((leg) => leg.take);
  return takes.flatMap((take) => (take.kind === "ladder" && (input ?? take.input) === take.input ? [take.stages] : []))[0];
}
