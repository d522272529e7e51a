import type { Procedure } from "@/api/types";

type Of<F extends Procedure["family"]> = Extract<Procedure, { family: F }>;

/** The rules of this family; nothing where the test is done otherwise. */
export function ofFamily<F extends Procedure["family"]>(procedure: Procedure | null | undefined, family: F): Of<F> | null {
  return procedure?.family === family ? (procedure as Of<F>) : null;
}
