import type { RunView } from "@/api/types";
import { later } from "@/composables/later";

const ofMany = {
  line: later(() => import("./BeepsFloor.vue")),
  board: later(() => import("./BoardFloor.vue")),
  grid: later(() => import("./GridFloor.vue")),
  group: later(() => import("./GroupFloor.vue")),
};
const ofOne = {
  counted: later(() => import("./CountedFloor.vue")),
  staged: later(() => import("./StagedFloor.vue")),
  effort: later(() => import("./EffortFloor.vue")),
  held: later(() => import("./HoldFloor.vue")),
  sheet: later(() => import("./sheet/SheetFloor.vue")),
  beeps: null,
  entered: null,
};
export const RehearsalBar = later(() => import("./RehearsalBar.vue"));

/** The floor of a run: a run fetches its own. `floor`: the family of the one who is seen. Nothing for a test that has none. */
export function floorOf(view: RunView | null, floor: keyof typeof ofOne | undefined) {
  if (view?.board) return view.board.kind === "line" ? ofMany.line : ofMany.board;
  if (view?.grid) return ofMany.grid;
  return (view?.performers.length ?? 0) > 1 ? ofMany.group : ofOne[floor ?? "entered"];
}
