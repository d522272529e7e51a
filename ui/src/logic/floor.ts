import type { FamilyState, State } from "@/api/types";

type Of<F extends FamilyState["floor"]> = Extract<FamilyState, { floor: F }>;

/** What only this floor knows; nothing on any other. */
export function ofFloor<F extends FamilyState["floor"]>(state: Pick<State, "of"> | null | undefined, floor: F): Of<F> | null {
  return state?.of.floor === floor ? (state.of as Of<F>) : null;
}
