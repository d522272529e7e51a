/** What is watched rather than read: stages that are passed or not, and a key for each thing seen in a movement. */
import { computed, ref, watch, type Ref } from "vue";
import type { SheetRow, SheetState } from "@/api/types";
import { taken } from "@/logic/sheet";
import { useRun } from "@/stores/run";

type Tried = { stage: number; passed: boolean };

/** What this screen saw stands before the server knows it. */
export function useWatched(sheet: Ref<SheetState>, row: Ref<SheetRow>) {
  const run = useRun();
  const triedHere = ref<Tried[] | null>(null);
  const seenHere = ref<Record<string, string[]>>({});
  const overHere = ref<number[]>([]);
  watch(
    () => [run.unsent, run.view?.revision] as const,
    ([unsent]) => {
      if (unsent) return;
      triedHere.value = null;
      [seenHere.value, overHere.value] = [{}, []];
    },
  );

  const ladderRow = computed(() => sheet.value.rows.find((r) => r.take.kind === "ladder") ?? null);
  const ladder = computed(() => taken(ladderRow.value, "ladder"));
  /** Of each stage that was tried, whether it was passed; nothing where the last one passed was typed. */
  const tried = computed<Tried[]>(() => {
    const r = ladderRow.value;
    return triedHere.value ?? (r?.tried ?? []).map((stage, k) => ({ stage, passed: r!.cells[k]?.value === true }));
  });
  /** Where the ladder is begun, while nothing was tried. */
  const from = ref(1);
  /** The stage that is tried now: up while each is passed, down while none was. */
  const upcoming = computed<number | null>(() => {
    if (!ladder.value) return null;
    const last = tried.value.at(-1);
    if (!last) return !triedHere.value && ladderRow.value!.cells.length ? null : from.value;
    const was = (stage: number, passed: boolean) => tried.value.some((t) => t.stage === stage && t.passed === passed);
    if (last.passed) return last.stage < ladder.value.stages.length && !was(last.stage + 1, false) ? last.stage + 1 : null;
    return ladder.value.from_any && last.stage > 1 && !was(last.stage - 1, true) ? last.stage - 1 : null;
  });
  const ended = computed(() => ladderRow.value !== null && upcoming.value === null);
  const stage = computed(() => (upcoming.value === null ? null : { number: upcoming.value, of: ladder.value!.stages.length }));
  /** The stages to begin at, where they may be chosen and nothing was tried. */
  const choices = computed(() => (ladder.value?.from_any && !tried.value.length && !ended.value ? ladder.value.stages : []));
  const stageWords = computed(() => (stage.value ? ladder.value!.stages[stage.value.number - 1]! : ""));

  const seen = (r: SheetRow) => seenHere.value[r.input] ?? r.seen ?? [];
  const isOver = (leg: number) => overHere.value.includes(leg) || (sheet.value.watched ?? []).includes(leg);
  /** All that was seen in the movement of a row, and how often each. */
  const inMovement = (r: SheetRow) => sheet.value.rows.filter((x) => x.leg === r.leg).flatMap((x) => seen(x));
  /** The row that is next, where this screen knows better than the server so far. */
  const next = computed<number | null>(() => {
    const rows = sheet.value.rows;
    if (triedHere.value && ended.value && ladder.value!.then) return rows.findIndex((r) => r.input === ladder.value!.then);
    if (!overHere.value.length) return null;
    const open = rows.findIndex((r) => r.take.kind === "seen" && !isOver(r.leg));
    return open < 0 ? null : open;
  });

  async function tryStage(passed: boolean) {
    if (!stage.value) return;
    const input = ladderRow.value!.input;
    const now = stage.value.number;
    triedHere.value = [...tried.value, { stage: now, passed }];
    await run.record({ kind: "stage_tried", input, stage: now, passed });
  }
  async function see(input: string, what: string) {
    const at = sheet.value.rows.find((r) => r.input === input);
    if (!at) return;
    seenHere.value = { ...seenHere.value, [input]: [...seen(at), what] };
    await run.record({ kind: "seen", input, what });
  }
  async function over() {
    const at = row.value;
    if (isOver(at.leg)) return;
    overHere.value = [...overHere.value, at.leg];
    await run.record({ kind: "movement_over", input: at.input });
  }
  return { ladder, tried, from, choices, ended, stage, stageWords, inMovement, isOver, next, tryStage, see, over };
}

export type Watched = ReturnType<typeof useWatched>;
