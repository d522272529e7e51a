<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import BeatArc from "@/components/BeatArc.vue";
import { ofFloor } from "@/logic/floor";
import type { SheetRow } from "@/api/types";
import { minutes } from "@/composables/dates";
import type { Floor } from "@/floor/useFloor";
import { useStrap } from "@/floor/useStrap";
import { useTaking } from "@/floor/useTaking";
import { useWatched } from "@/floor/useWatched";
import { bout, how, isBeside, rowName, rules, sentence, shown, stopwatch } from "@/logic/sheet";
import { shownUnit } from "@/logic/units";
import { useRun } from "@/stores/run";
import RemarkLog from "./RemarkLog.vue";
import SheetKeys from "./SheetKeys.vue";
import SheetTable from "./SheetTable.vue";
import StrapNow from "./StrapNow.vue";
import TapPad from "./TapPad.vue";

/** A test in attempts: what is taken now on the left, everything taken so far on the right. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const { ms, state, running, phase } = props.floor;

const units = computed(() => run.view?.units ?? "metric");
const sheet = computed(() => ofFloor(state.value, "sheet"));
const started = computed(() => run.startedAt !== null);
/** The row the assessor chose; the next open one where none was chosen. */
const chosen = ref<number | null>(null);
/** A count goes on while its clock runs, and until something else is next. */
const counting = computed(() => {
  const s = sheet.value;
  if (!s) return null;
  const begun = s.rows.map((r, k) => ({ k, r })).filter(({ r }) => how(r) === "count" && !bout(r) && r.cells.length && !nought.value);
  const latest = begun.sort((a, b) => a.r.cells[0]!.at_ms - b.r.cells[0]!.at_ms).at(-1);
  const onward = s.next != null && how(s.rows[s.next]!) !== "count" && left.value === 0;
  return latest && !onward ? latest.k : null;
});
const at = computed(
  () =>
    chosen.value ??
    inBout.value ??
    counting.value ??
    watched.next.value ??
    sheet.value?.next ??
    Math.max(0, sheet.value?.rows.findLastIndex((r) => !isBeside(r)) ?? 0),
);
/** A count against a clock of its own: the row it runs for, until its bell. */
const inBout = computed(() => {
  const w = sheet.value?.watch;
  return w && bout(sheet.value!.rows[w.row]!) && (w.until_ms == null || ms.value < w.until_ms) ? w.row : null;
});
const row = computed<SheetRow | null>(() => sheet.value?.rows[at.value] ?? null);
const watched = useWatched(sheet, row);
/** Not even the first stage was passed: there is nothing to count. */
const nought = computed(
  () =>
    watched.ladder.value?.then != null &&
    watched.ended.value &&
    watched.tried.value.length > 0 &&
    watched.tried.value.every((t) => !t.passed),
);
const strap = useStrap();
/** Heart rates that are called: the one that is open now, or the next. */
const dues = computed(() => (started.value && running.value ? (state.value?.dues ?? []) : []));
const due = computed(() => dues.value.find((d) => d.key === row.value?.input) ?? null);
const taking = useTaking(props.floor, due);
async function take(value: unknown) {
  const at = due.value;
  if (at && typeof value === "number" && (await taking.took(value, at))) return;
  await run.happened({ kind: "taken", input: row.value!.input, side: row.value!.side ?? undefined, value: value as never });
}
onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (!due.value || event.ctrlKey || event.metaKey || event.altKey || event.repeat || target.closest("textarea, .remark, .reason")) return;
  const key = event.key.toLowerCase();
  if (key === "t") taking.tap();
  else if (key === "m") taking.change();
  else return;
  event.preventDefault();
});
watch(
  () => sheet.value?.rows.map((r) => r.cells.length).join(),
  () => {
    const now = row.value;
    // A count goes on in its style; everything else goes back to the order after one try, so that the next side is the next.
    if (chosen.value !== null && now && how(now) !== "count") chosen.value = null;
  },
);

/** What this screen saw and the server does not know yet. */
const localStart = ref<number | null>(null);
const localCount = ref<number | null>(null);
watch(
  () => [run.unsent, run.view?.revision] as const,
  ([unsent]) => {
    if (unsent === 0) {
      localStart.value = null;
      localCount.value = null;
    }
  },
);
const watchFrom = computed(() => sheet.value?.watch?.from_ms ?? localStart.value);
const timing = computed(() => {
  const w = sheet.value?.watch;
  return watchFrom.value !== null && (w?.until_ms == null || ms.value < w.until_ms);
});
const count = computed(() => {
  const value = row.value?.cells.at(-1)?.value as unknown;
  return localCount.value ?? (typeof value === "number" ? value : 0);
});
const counted = computed(() => (sheet.value?.rows ?? []).filter((r) => how(r) === "count" && !bout(r)));
/** What is counted beside a bout, on its side: how often, and how it is called. */
const beside = computed(() => {
  const r = row.value;
  if (!r || how(r) !== "count") return [];
  return (rules<{ also?: { input: string; label: string }[] }>(r).also ?? []).map(({ input, label }) => {
    const of = sheet.value!.rows.find((x) => x.input === input && x.side === r.side);
    return { input, label, row: of ?? null, count: Number(of?.cells.at(-1)?.value ?? 0) };
  });
});
const start = computed(() => {
  const all = sheet.value?.starts_ms ?? [];
  const k = all.findLastIndex((s) => s <= ms.value);
  return { k, next: all[k + 1] ?? null, from: k >= 0 ? all[k]! : null };
});
const startDone = computed(() => (sheet.value?.rows[0]?.cells.length ?? 0) > start.value.k);
const rest = computed(() => (sheet.value?.rest && !timing.value ? sheet.value.rest : null));
const resting = computed(() => (rest.value && ms.value < rest.value.until_ms ? rest.value.until_ms - ms.value : 0));
/** Until the heart rate that comes next is called, ms. */
const called = computed(() => (due.value ? Math.max(0, due.value.at_ms - ms.value) : 0));
const countingIn = computed(() => started.value && phase.value?.kind === "count_in");
const timed = computed(() => state.value?.timeline.phases.find((p) => p.kind === "work" && p.end_ms != null) ?? null);
const left = computed(() => (timed.value ? Math.max(0, timed.value.end_ms! - ms.value) : 0));

/** Last time's value of the reading that is asked for; of the test, where no reading has one of its own. */
const lastTime = computed(() => row.value?.last_time ?? (sheet.value?.rows.some((r) => r.last_time) ? null : sheet.value?.last_time));
/** The beat, while there is one to follow. */
const beat = computed(() => {
  const of = state.value?.timeline.beat;
  return of && started.value && running.value && ms.value < of.until_ms ? of : null;
});
/** The bell has rung, or too many beats were missed: nothing more is counted. */
const rung = computed(() => {
  const r = row.value;
  if (sheet.value?.beats?.over_ms != null) return true;
  if (!r || how(r) !== "count" || bout(r) || !started.value || timed.value === null || left.value > 0) return false;
  // More than half a repetition at the bell is keyed after it, once.
  return !(rules<{ half_at_bell?: boolean }>(r).half_at_bell && !r.after_bell);
});
/** Kept before the bell, or with one side of two: asked a second time. */
const asking = ref<string | null>(null);
function doubt(): string | null {
  const rows = sheet.value?.rows ?? [];
  if (started.value && left.value > 0 && !countingIn.value && rows.some((r) => how(r) === "count" && !bout(r)))
    return `${minutes(left.value + 999)} left. Save it as if the time were over?`;
  const done = (r: SheetRow) => r.cells.some((c) => c.counts);
  const open = rows.find(
    (r) => r.side && !isBeside(r) && !done(r) && rows.some((other) => other.input === r.input && other.side !== r.side && done(other)),
  );
  return open ? `${rowName(open)} is missing. Save the test with one side only?` : null;
}
function finish() {
  const question = asking.value ? null : doubt();
  asking.value = question;
  if (!question) emit("finish");
}
watch(left, (now) => now === 0 && (asking.value = null));

const figure = computed(() => {
  const r = row.value;
  if (!r) return "";
  if (countingIn.value) return String(Math.max(1, Math.ceil((phase.value!.end_ms! - ms.value) / 1000)));
  if (how(r) === "count") return String(bout(r) && !r.cells.length && !timing.value ? bout(r) : count.value);
  if (how(r) === "ladder") return watched.stage.value ? String(watched.stage.value.number) : "";
  if (how(r) === "seen") return started.value ? String(watched.inMovement(r).length) : "";
  if (how(r) === "starts") {
    if (start.value.from === null) return "0";
    const since = (ms.value - start.value.from) / 1000;
    return startDone.value ? String(Math.ceil(((start.value.next ?? ms.value) - ms.value) / 1000)) : stopwatch(since);
  }
  if (timing.value) return stopwatch(Math.floor((ms.value - watchFrom.value!) / 100) / 10);
  if (resting.value > 0) return minutes(resting.value + 999);
  if (called.value > 0) return minutes(called.value + 999);
  const cell = r.cells.at(-1);
  return cell ? shown(r, cell.value, units.value) : "";
});
const under = computed(() => {
  const r = row.value;
  if (!r) return "";
  if (countingIn.value) return "count-in";
  if (how(r) === "count" && bout(r)) {
    const also = beside.value.filter((b) => b.count).map((b) => `, ${b.row?.label.toLowerCase()} ${b.count}`);
    if (timing.value)
      return `${Math.ceil(((sheet.value?.watch?.until_ms ?? ms.value + bout(r) * 1000) - ms.value) / 1000)} s left${also.join("")}`;
    return r.cells.length ? `${r.label.toLowerCase()}${also.join("")}` : "seconds";
  }
  if (how(r) === "count")
    return timed.value && left.value > 0 ? `${minutes(left.value + 999)} left` : r.how ? r.unit : r.label.toLowerCase();
  if (how(r) === "ladder") return watched.stage.value ? `of ${watched.stage.value.of} stages` : "";
  if (how(r) === "seen") return watched.inMovement(r).length ? watched.inMovement(r).join(", ").toLowerCase() : "nothing seen";
  if (how(r) === "starts") {
    if (start.value.from === null) return "until the first start";
    return startDone.value ? (start.value.next ? "s until the next start" : "all started") : `s since start ${start.value.k + 1}`;
  }
  if (timing.value) return "s";
  if (resting.value > 0) return "of rest left";
  if (called.value > 0) return "until it is called";
  if (!r.cells.length) return "";
  const unit = shownUnit(r.unit, units.value);
  return r.tries > 1 ? `${unit}, try ${r.cells.length}` : unit;
});
const heading = computed(() => {
  const r = row.value;
  if (!started.value) return "Ready when you are";
  if (!r) return "";
  if (nought.value || (sheet.value?.next == null && chosen.value === null && how(r) !== "count")) return "Everything is there";
  if (how(r) === "ladder") return sentence(watched.stageWords.value);
  if (how(r) === "seen") return r.leg_label ?? rowName(r);
  if (how(r) === "starts") return `Start ${Math.max(1, start.value.k + 1)} of ${sheet.value?.starts_ms.length}`;
  const most = r.agree_within != null && !r.again && r.cells.length < 3 ? 2 : r.tries;
  const attempt = most > 1 ? `, try ${Math.min(r.cells.length + 1, most)} of ${most}` : "";
  return `${resting.value > 0 ? "Rest. Next: " : ""}${rowName(r)}${attempt}`;
});
const cue = computed(() => {
  const r = row.value;
  if (!r) return "";
  if (!started.value) return phase.value?.cue ?? state.value?.timeline.phases[0]?.cue ?? "";
  if (state.value?.decision) return state.value.decision.because;
  if (r.again) return r.again;
  if (how(r) === "count") return [r.how, nought.value ? "" : rules<{ rule: string }>(r).rule].filter(Boolean).join(" ");
  if (how(r) === "ladder")
    return watched.stage.value
      ? `${watched.ladder.value!.passes}${watched.ladder.value!.then ? ", or back one stage" : watched.ladder.value!.from_any ? ", or one down" : ", or it ends here"}.`
      : "";
  if (how(r) === "seen") return "A key for each thing you see. Nothing seen is a reading too.";
  if (r.how) return r.how;
  if (sheet.value?.advice && (how(r) === "load" || at.value === sheet.value.next)) return sheet.value.advice.because;
  if (how(r) === "watch") return timing.value ? `It ends with: ${rules<{ ends: string }>(r).ends.toLowerCase()}.` : "";
  return phase.value?.cue ?? "";
});
const swapped = computed(() => {
  const sides = [...new Set((sheet.value?.rows ?? []).flatMap((r) => r.side ?? []))].sort();
  return `${sentence(sides.join(" and "))} were swapped`;
});
const sided = computed(() => sheet.value?.rows.some((r) => r.side && r.cells.length) ?? false);

// The key that starts the clock starts the stopwatch of a hold, a wall sit, a balance: one key for every clock.
watch(
  () => props.floor.begun.value,
  () => {
    const r = row.value;
    const countsIn = state.value?.timeline.phases.some((p) => p.kind === "count_in");
    if (r && how(r) === "watch" && !countsIn && !sheet.value?.watch && !r.cells.length) void begin(r);
  },
);
async function begin(r: SheetRow) {
  localStart.value = ms.value;
  localCount.value = null;
  await run.happened({ kind: "watch_started", input: r.input, side: r.side ?? undefined });
}
function style(r: SheetRow) {
  localCount.value = null;
  chosen.value = sheet.value!.rows.indexOf(r);
}
/** One more of what is counted beside it. */
async function tallyBeside(input: string) {
  await run.happened({ kind: "counted", input, side: row.value!.side ?? undefined, by: 1 });
}
async function tally(r: SheetRow, by: 1 | -1) {
  if ((by < 0 && count.value < 1) || nought.value || (by > 0 && rung.value)) return;
  localCount.value = count.value + by;
  await run.happened({ kind: "counted", input: r.input, side: r.side ?? undefined, by });
}
</script>

<template>
  <main v-if="state && sheet && row">
    <section class="left">
      <div class="says">
        <h1>{{ heading }}</h1>
        <p class="cue" aria-live="polite">{{ floor.call.value ?? cue }}</p>
      </div>
      <div v-if="row.kind === 'points' && started" id="sheet-tiles" class="tiles"></div>
      <div v-else class="now">
        <p v-if="figure" class="figure num" role="timer" :class="{ hot: timing, long: figure.length > 6 }">
          {{ figure }}<small v-if="under"> {{ under }}</small>
        </p>
        <BeatArc v-if="beat" :beat="beat" :ms="floor.beatMs.value" />
      </div>
      <div v-if="timed && started && !countingIn && left > 0" class="bar" aria-hidden="true">
        <i :style="{ width: `${(100 * left) / (timed.end_ms! - timed.start_ms)}%` }"></i>
      </div>
      <div v-else-if="rest && resting > 0" class="bar rest" aria-hidden="true">
        <i :style="{ width: `${(100 * resting) / (rest.until_ms - rest.from_ms)}%` }"></i>
      </div>
      <TapPad v-if="due" :taking="taking" />
      <slot v-if="!started" name="start" />
      <p v-if="lastTime" class="soft">{{ lastTime }}</p>
      <slot name="below" />
    </section>
    <section class="side">
      <StrapNow v-if="dues.length && !run.view?.rehearsal" :state="state" :ms="ms" :strap="strap" :simulated="false" />
      <SheetTable
        :sheet="sheet"
        :at="at"
        :closed="closed"
        :units="units"
        @choose="(k) => (chosen = k)"
        @strike="(r, attempt) => run.happened({ kind: 'struck', input: r.input, side: r.side ?? undefined, attempt })"
      />
      <button v-if="sided && !closed" type="button" class="quiet swap" @click="run.happened({ kind: 'sides_swapped' })">
        {{ swapped }}
      </button>
      <RemarkLog :state="state" :working="false" @remark="(text) => run.happened({ kind: 'noted', text })" />
    </section>
  </main>
  <SheetKeys
    v-if="state && sheet && row"
    :row="row"
    :advice="sheet.advice?.kg ?? null"
    :started="started"
    :running="running"
    :counting-in="countingIn"
    :timing="timing"
    :start-open="start.from !== null && !startDone"
    :styles="counted"
    :watched="watched"
    :beside="beside"
    @beside="tallyBeside"
    :nought="nought"
    :can-finish="state.can_finish && !closed"
    :finishing="finishing"
    :counted="due ? taking.way.value === 'count' : null"
    :asked="due ? taking.label.value : null"
    :offered="due ? taking.suggested.value : null"
    :undoable="closed ? null : run.undoable"
    :missed="sheet.beats ?? null"
    @missed="run.happened({ kind: 'beat_missed' })"
    @heavier="(input) => (chosen = sheet!.rows.findIndex((r) => r.input === input))"
    @begin="begin(row)"
    @end="run.happened({ kind: 'watch_ended' })"
    @tally="(by) => tally(row!, by)"
    @cross="run.happened({ kind: 'crossed' })"
    @take="take"
    @way="taking.change()"
    @lift="(load_kg, made, reason) => run.happened({ kind: 'lifted', load_kg, made, ...(reason ? { reason } : {}) })"
    @style="style"
    :rung="rung"
    :asking="asking"
    @finish="finish"
    @stay="asking = null"
    @undo="emit('undo')"
  />
</template>

<style scoped>
.now {
  display: flex;
  align-items: center;
  gap: 32px;
}
.now > :deep(.arc) {
  flex: 1;
  max-width: 420px;
}
.figure {
  font-weight: 600;
  font-size: clamp(96px, 15vw, 180px);
  line-height: 0.95;
  letter-spacing: -0.05em;
  margin: 0;
}
.figure.long {
  font-size: clamp(56px, 8vw, 96px);
}
.figure small {
  font-size: 24px;
  font-weight: 400;
  color: var(--soft);
  letter-spacing: 0;
  margin-left: 18px;
  font-family: inherit;
  display: inline-block;
  line-height: 1.25;
}
@media (max-width: 560px) {
  .figure small {
    font-size: 21px;
    margin-left: 12px;
  }
}
/* The words at the left, what was judged at the right, in every tile alike. */
.tiles :deep(button) {
  justify-content: flex-start;
  text-align: left;
}
.tiles {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 340px), 1fr));
  gap: 12px;
}
.bar {
  height: 18px;
  border: 2px solid var(--line);
  border-radius: 6px;
}
.bar i {
  display: block;
  height: 100%;
  background: var(--band);
  border-radius: 3px;
}
.bar.rest i {
  background: color-mix(in srgb, var(--ochre) 34%, var(--paper));
}
.swap {
  align-self: flex-start;
  min-height: 44px;
}
</style>
