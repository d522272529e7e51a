/** A test in attempts on this screen: what is taken now, what this screen saw before the server knew it, and what can be done. */
import { computed, inject, provide, ref, watch, type InjectionKey } from "vue";
import type { SheetRow } from "@/api/types";
import { minutes } from "@/logic/dates";
import { ofFloor } from "@/logic/floor";
import { attempt, bout, isBeside, most, rowName, firstSentence, sentence, shown, stopwatch, taken } from "@/logic/sheet";
import { shownUnit } from "@/logic/units";
import { useRun } from "@/stores/run";
import type { Floor } from "./useFloor";
import { useTaking } from "./useTaking";
import { useWatched } from "./useWatched";

/** A key press this soon after the bell still belongs to the count. */
const LATE_PRESS_MS = 1000;

export function useSheet(floor: Floor, closed: () => boolean) {
  const run = useRun();
  const { ms, state, running, phase } = floor;
  const units = computed(() => run.view?.units ?? "metric");
  const sheet = computed(() => ofFloor(state.value, "sheet")!);
  const started = computed(() => run.startedAt !== null);
  const wrong = ref<string | null>(null);
  /** The work, where it has a length, and what is left of it, ms. */
  const timed = computed(() => state.value?.timeline.phases.find((p) => p.kind === "work" && p.end_ms != null) ?? null);
  const left = computed(() => (timed.value ? Math.max(0, timed.value.end_ms! - ms.value) : 0));

  /** The row the assessor chose; the next open one where none was chosen. */
  const chosen = ref<number | null>(null);
  const isCounted = (r: SheetRow) => r.take.kind === "count" && !bout(r);
  /** A count goes on while its clock runs, and until something else is next. */
  const counting = computed(() => {
    const s = sheet.value;
    const begun = s.rows.map((r, k) => ({ k, r })).filter(({ r }) => isCounted(r) && r.cells.length && !nought.value);
    const latest = begun.sort((a, b) => a.r.cells[0]!.at_ms - b.r.cells[0]!.at_ms).at(-1);
    const goesOn = s.next != null && s.rows[s.next]!.take.kind !== "count" && left.value === 0;
    return latest && !goesOn ? latest.k : null;
  });
  /** A count against a clock of its own: the row it runs for, until its bell. */
  const inBout = computed(() => {
    const w = sheet.value.watch;
    return w && bout(sheet.value.rows[w.row]!) && (w.until_ms == null || ms.value < w.until_ms) ? w.row : null;
  });
  const at = computed(
    () =>
      chosen.value ??
      inBout.value ??
      counting.value ??
      watched.next.value ??
      sheet.value.next ??
      Math.max(
        0,
        sheet.value.rows.findLastIndex((r) => !isBeside(r)),
      ),
  );
  const row = computed<SheetRow>(() => sheet.value.rows[at.value] ?? sheet.value.rows[0]!);
  const watched = useWatched(sheet, row);
  /** Not even the first stage was passed: there is nothing to count. */
  const nought = computed(
    () =>
      watched.ladder.value?.then != null &&
      watched.ended.value &&
      watched.tried.value.length > 0 &&
      watched.tried.value.every((t) => !t.passed),
  );
  watch(
    () => sheet.value.rows.map((r) => r.cells.length).join(),
    () => {
      // A count goes on in its style; everything else goes back to the order after one try, so that the next side is the next.
      if (chosen.value !== null && row.value.take.kind !== "count") chosen.value = null;
    },
  );

  /** Heart rates that are called: the one that is open now, or the next. */
  const dues = computed(() => (started.value && running.value ? (state.value?.dues ?? []) : []));
  const due = computed(() => dues.value.find((d) => d.key === row.value.input) ?? null);
  const taking = useTaking(floor, due);
  /** Whether beats are counted and not a rate typed. */
  const counted = computed(() => due.value !== null && taking.way.value === "count");

  /** What this screen saw and the server does not know yet. */
  const localStart = ref<number | null>(null);
  const localCount = ref<number | null>(null);
  watch(
    () => [run.unsent, run.view?.revision] as const,
    ([unsent]) => {
      if (unsent > 0) return;
      [localStart.value, localCount.value] = [null, null];
    },
  );
  const watchFrom = computed(() => sheet.value.watch?.from_ms ?? localStart.value);
  const timing = computed(() => {
    const w = sheet.value.watch;
    return watchFrom.value !== null && (w?.until_ms == null || ms.value < w.until_ms);
  });
  const count = computed(() => {
    const value = row.value.cells.at(-1)?.value as unknown;
    return localCount.value ?? (typeof value === "number" ? value : 0);
  });
  /** The ways one count may be done, each with a row of its own. */
  const styles = computed(() => sheet.value.rows.filter(isCounted));
  /** What is counted beside a bout, on its side: how often, and how it is called. */
  const beside = computed(() =>
    (taken(row.value, "count")?.also ?? []).map(({ input, label }) => {
      const of = sheet.value.rows.find((x) => x.input === input && x.side === row.value.side);
      return { input, label, row: of ?? null, count: Number(of?.cells.at(-1)?.value ?? 0) };
    }),
  );

  /** The start of a test on the clock that runs now, and the next one. */
  const start = computed(() => {
    const all = sheet.value.starts_ms;
    const k = all.findLastIndex((s) => s <= ms.value);
    return { k, next: all[k + 1] ?? null, from: k >= 0 ? all[k]! : null };
  });
  const startDone = computed(() => (sheet.value.rows[0]?.cells.length ?? 0) > start.value.k);
  const rest = computed(() => (sheet.value.rest && !timing.value ? sheet.value.rest : null));
  const resting = computed(() => (rest.value && !over.value && ms.value < rest.value.until_ms ? rest.value.until_ms - ms.value : 0));
  /** Until the heart rate that comes next is called, ms. */
  const called = computed(() => (due.value ? Math.max(0, due.value.at_ms - ms.value) : 0));
  const countingIn = computed(() => started.value && phase.value?.kind === "count_in");
  /** The beat, while there is one to follow. */
  const beat = computed(() => {
    const of = state.value?.timeline.beat;
    return of && started.value && running.value && ms.value < of.until_ms ? of : null;
  });
  const bell = computed(() => isCounted(row.value) && started.value && timed.value !== null && left.value <= 0);
  /** More than half a repetition at the bell is keyed after it, once. */
  const halfOne = computed(() => bell.value && taken(row.value, "count")?.half_at_bell === true && !row.value.after_bell);
  /** The bell has rung, or too many beats were missed: nothing more is counted. */
  const rung = computed(() => {
    if (sheet.value.beats?.over_ms != null) return true;
    return bell.value && !halfOne.value;
  });
  const live = computed(() => started.value && running.value && !countingIn.value && !nought.value && !rung.value);
  /** The bell of a count with a clock of its own has rung: nothing more is counted, what was counted in silence is typed. */
  const boutOver = computed(() => bout(row.value) > 0 && row.value.cells.length > 0 && !timing.value);
  /** A count against a clock of its own that has not been started. */
  const waits = computed(() => bout(row.value) > 0 && !row.value.cells.length && !timing.value);
  const bellMs = ref(-Infinity);
  watch(timing, (now, before) => before && !now && (bellMs.value = ms.value));
  const justRung = computed(() => ms.value - bellMs.value < LATE_PRESS_MS);
  /** Nothing more is taken of this row. */
  const full = computed(() => {
    const r = row.value;
    if (r.take.kind === "seen") return watched.isOver(r.leg);
    if (r.take.kind === "ladder") return watched.ended.value;
    // Beyond what was planned a load is advised only where none was missed.
    if (r.take.kind === "load" && r.take.attempts != null && sheet.value.advice?.kg == null) return r.cells.length >= r.take.attempts;
    return r.tries > 1 && r.cells.length >= r.tries;
  });
  /** Everything was taken, and nothing else was chosen. */
  const over = computed(() => {
    if (nought.value) return true;
    const { kind } = row.value.take;
    const nothingNext = sheet.value.next == null || (kind === "load" && full.value);
    return nothingNext && chosen.value === null && (kind !== "count" || rung.value);
  });
  const canFinish = computed(() => state.value?.can_finish === true && !closed());
  /** Last time's value of the reading that is asked for; of the test, where no reading has one of its own. */
  const lastTime = computed(
    () => row.value.last_time ?? (sheet.value.rows.some((r) => r.last_time) ? null : (sheet.value.last_time ?? null)),
  );

  /** Saved before the bell, or with one side of two: what is asked first. */
  function doubt(): string | null {
    const rows = sheet.value.rows;
    if (started.value && left.value > 0 && !countingIn.value && rows.some(isCounted))
      return `${minutes(left.value + 999)} left. Save it as if the time were over?`;
    const done = (r: SheetRow) => r.cells.some((c) => c.counts);
    const open = rows.find(
      (r) => r.side && !isBeside(r) && !done(r) && rows.some((other) => other.input === r.input && other.side !== r.side && done(other)),
    );
    return open ? `${rowName(open)} is missing. Save the test with one side only?` : null;
  }

  const rowKey = () => ({ input: row.value.input, side: row.value.side ?? undefined });
  async function take(value: number | string | Record<string, boolean>) {
    const open = due.value;
    if (open && typeof value === "number" && (await taking.took(value, open))) return;
    await run.record({ kind: "taken", ...rowKey(), value });
  }
  async function begin() {
    localStart.value = ms.value;
    localCount.value = null;
    await run.record({ kind: "watch_started", ...rowKey() });
  }
  const end = () => run.record({ kind: "watch_ended" });
  // A try that reaches its limit ends by itself, and is said to be over once: what is undone after that is not said again.
  let ranOut: number | null = null;
  watch(
    () => {
      const w = sheet.value.watch;
      const isTimed = w && sheet.value.rows[w.row]?.take.kind === "watch";
      return isTimed && running.value && w.until_ms != null && ms.value >= w.until_ms ? w.from_ms : null;
    },
    (from) => {
      if (from == null || from === ranOut) return;
      ranOut = from;
      void end();
    },
  );
  async function tally(by: 1 | -1) {
    if ((by < 0 && count.value < 1) || nought.value || (by > 0 && rung.value)) return;
    localCount.value = count.value + by;
    await run.record({ kind: "counted", ...rowKey(), by });
  }
  /** One more of what is counted beside it. */
  const tallyBeside = (input: string) => run.record({ kind: "counted", ...rowKey(), input, by: 1 });
  const cross = () => run.record({ kind: "crossed" });
  const missBeat = () => run.record({ kind: "beat_missed" });
  const lift = (load_kg: number, made: boolean, reason: string | null) =>
    run.record({ kind: "lifted", load_kg, made, ...(reason ? { reason } : {}) });
  const strike = (r: SheetRow, nth: number) => run.record({ kind: "struck", input: r.input, side: r.side ?? undefined, attempt: nth });
  const swap = () => run.record({ kind: "sides_swapped" });
  function choose(k: number) {
    localCount.value = null;
    chosen.value = k;
  }
  const chooseInput = (input: string) => choose(sheet.value.rows.findIndex((r) => r.input === input));

  // The key that starts the clock starts the stopwatch of a hold, a wall sit, a balance: one key for every clock.
  watch(
    () => floor.begun.value,
    () => {
      const countsIn = state.value?.timeline.phases.some((p) => p.kind === "count_in");
      if (row.value.take.kind === "watch" && !countsIn && !sheet.value.watch && !row.value.cells.length) void begin();
    },
  );

  /** The last try that counts. */
  const latest = computed(() => row.value.cells.findLastIndex((c) => c.counts));
  /** The large figure: a clock, a count, a stage. */
  const figure = computed(() => {
    const r = row.value;
    if (countingIn.value) return String(Math.max(1, Math.ceil((phase.value!.end_ms! - ms.value) / 1000)));
    switch (r.take.kind) {
      case "count":
        return String(bout(r) && !r.cells.length && !timing.value ? bout(r) : count.value);
      case "ladder":
        return watched.stage.value ? String(watched.stage.value.number) : "";
      case "seen":
        return started.value ? String(watched.inMovement(r).length) : "";
      case "starts":
        if (start.value.from === null) return "0";
        return startDone.value
          ? String(Math.ceil(((start.value.next ?? ms.value) - ms.value) / 1000))
          : stopwatch((ms.value - start.value.from) / 1000);
    }
    if (timing.value) return stopwatch(Math.floor((ms.value - watchFrom.value!) / 100) / 10);
    if (resting.value > 0) return minutes(resting.value + 999);
    if (called.value > 0) return minutes(called.value + 999);
    const cell = r.cells[latest.value];
    return cell && r.take.kind === "watch" ? shown(r, cell.value, units.value) : "";
  });
  /** What the figure is. */
  const under = computed(() => {
    const r = row.value;
    if (countingIn.value) return "count-in";
    switch (r.take.kind) {
      case "count": {
        if (!bout(r))
          return timed.value && left.value > 0
            ? `${minutes(left.value + 999)} left`
            : styles.value.length > 1
              ? r.label.toLowerCase()
              : r.unit || r.label.toLowerCase();
        const also = beside.value.filter((b) => b.count).map((b) => `, ${b.row?.label.toLowerCase()} ${b.count}`);
        const until = sheet.value.watch?.until_ms ?? ms.value + bout(r) * 1000;
        if (timing.value) return `${Math.ceil((until - ms.value) / 1000)} s left${also.join("")}`;
        return r.cells.length ? `${r.label.toLowerCase()}${also.join("")}` : "seconds";
      }
      case "ladder":
        return watched.stage.value ? `of ${watched.stage.value.of} stages` : "";
      case "seen":
        return watched.inMovement(r).length ? watched.inMovement(r).join(", ").toLowerCase() : "nothing seen";
      case "starts":
        if (start.value.from === null) return "until the first start";
        return startDone.value ? (start.value.next ? "s until the next start" : "all started") : `s since start ${start.value.k + 1}`;
    }
    if (timing.value) return "s";
    if (resting.value > 0) return "of rest left";
    if (called.value > 0) return "until it is called";
    if (latest.value < 0) return "";
    const unit = shownUnit(r.unit, units.value);
    return r.tries > 1 ? `${unit}, try ${latest.value + 1}` : unit;
  });
  const heading = computed(() => {
    const r = row.value;
    if (!started.value) return "Ready when you are";
    if (over.value) return "Everything is there";
    if (halfOne.value) return "Time is up";
    if (r.take.kind === "ladder") return sentence(watched.stageWords.value);
    if (r.take.kind === "seen") return r.leg_label ?? rowName(r);
    if (r.take.kind === "starts") return `Start ${Math.max(1, start.value.k + 1)} of ${sheet.value.starts_ms.length}`;
    const which = most(r) > 1 || r.again ? attempt(r) : "";
    return `${resting.value > 0 ? "Rest. Next: " : ""}${rowName(r)}${which ? `, ${which}` : ""}`;
  });
  const cue = computed(() => {
    const r = row.value;
    if (!started.value) return phase.value?.cue ?? state.value?.timeline.phases[0]?.cue ?? "";
    if (state.value?.decision) return state.value.decision.because;
    if (r.again) return r.again;
    if (over.value && r.take.kind === "read") return "To correct a reading, press its name and take it again.";
    if (boutOver.value) return `${bout(r)} seconds are over. Type the count if you counted in your head.`;
    if (r.take.kind === "count" && halfOne.value) return r.take.rule.slice(firstSentence(r.take.rule).length).trim();
    if (r.take.kind === "count") return [r.how, nought.value ? "" : firstSentence(r.take.rule)].filter(Boolean).join(" ");
    if (r.take.kind === "ladder") {
      if (!watched.stage.value) return "";
      return `${r.take.passes}${r.take.then ? ", or back one stage" : r.take.from_any ? ", or one down" : ", or it ends here"}.`;
    }
    if (r.take.kind === "seen") return "There is a key for each thing you see. If you see nothing, record that.";
    if (r.how) return r.how;
    if (sheet.value.advice && (r.take.kind === "load" || at.value === sheet.value.next)) return sheet.value.advice.because;
    if (r.take.kind === "watch") return timing.value ? `It ends with: ${r.take.ends.toLowerCase()}.` : "";
    return phase.value?.cue ?? "";
  });

  return {
    floor,
    state,
    ms,
    running,
    units,
    sheet,
    started,
    at,
    row,
    wrong,
    watched,
    nought,
    dues,
    due,
    taking,
    counted,
    timing,
    count,
    styles,
    beside,
    start,
    startDone,
    rest,
    resting,
    countingIn,
    timed,
    left,
    beat,
    rung,
    live,
    halfOne,
    waits,
    justRung,
    boutOver,
    full,
    canFinish,
    lastTime,
    figure,
    under,
    heading,
    cue,
    doubt,
    take,
    begin,
    end,
    tally,
    tallyBeside,
    cross,
    missBeat,
    lift,
    strike,
    swap,
    choose,
    chooseInput,
  };
}

export type Sheet = ReturnType<typeof useSheet>;

const SHEET: InjectionKey<Sheet> = Symbol("sheet");
export const provideSheet = (sheet: Sheet) => provide(SHEET, sheet);
/** The sheet that the floor around this component works on. */
export const theSheet = (): Sheet => inject(SHEET)!;

/** What a key does on the way a row is taken; says whether it did something. */
export interface Keys {
  press: (key: string, event: KeyboardEvent) => boolean;
  /** Whether something is typed that is not saved yet. */
  isTyping?: () => boolean;
  /** What is typed next goes into its field. */
  focus?: () => void;
}
