import type { Procedure } from "@/api/types";

type Of<F extends Procedure["family"]> = Extract<Procedure, { family: F }>;

/** The rules of this family; nothing where the test is done otherwise. */
export function ofFamily<F extends Procedure["family"]>(procedure: Procedure | null | undefined, family: F): Of<F> | null {
  return procedure?.family === family ? (procedure as Of<F>) : null;
}

type Leg = { take: { ladder?: { input: string; stages: string[] } } };
/** The stages of its ladder in words, easiest first; with `input`, only where the ladder counts into that. */
export function stagesOf(procedure: Procedure, input?: string): string[] | undefined {
  const legs = (procedure as unknown as { legs?: Leg[] }).legs ?? [];
  return legs.find((leg) => leg.take.ladder && (input ?? leg.take.ladder.input) === leg.take.ladder.input)?.take.ladder?.stages;
}
