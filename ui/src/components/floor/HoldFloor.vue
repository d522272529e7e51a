<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed } from "vue";
import { ofFloor } from "@/logic/floor";
import { minutes } from "@/logic/dates";
import type { Floor } from "@/floor/useFloor";
import { useRun } from "@/stores/run";
import RemarkLog from "./RemarkLog.vue";

/** A hold: one clock, the moments that are seen on the way, and the one that ends it. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const { ms, state, running, phase } = props.floor;

const hold = computed(() => ofFloor(state.value, "held"));
const started = computed(() => run.startedAt !== null);
const begun = computed(() => started.value && hold.value !== null && ms.value >= hold.value.start_ms);
const capped = computed(() => hold.value?.limit_ms != null && ms.value >= hold.value.limit_ms);
const over = computed(() => hold.value?.is_zero === true || hold.value?.end_ms != null || (begun.value && capped.value));
const holding = computed(() => begun.value && running.value && !over.value);
const seconds = (at: number) => Math.max(0, at - (hold.value?.start_ms ?? 0)) / 1000;

/** What is held so far, or was: seconds with their tenth. */
const held = computed(() => {
  const h = hold.value;
  if (!h || !begun.value || h.is_zero) return 0;
  const until = Math.min(h.end_ms ?? ms.value, h.limit_ms ?? Infinity);
  // A running clock has not reached its next tenth; what was held is rounded, as it is stored.
  return (over.value ? Math.round(seconds(until) * 10) : Math.floor(seconds(until) * 10 + 1e-6)) / 10;
});
const figures = computed(() => {
  if (started.value && phase.value?.kind === "count_in") return String(Math.max(1, Math.ceil((phase.value.end_ms! - ms.value) / 1000)));
  const whole = Math.floor(held.value);
  const tenth = Math.round((held.value - whole) * 10);
  return whole < 60 ? `${whole}.${tenth}` : `${Math.floor(whole / 60)}:${String(whole % 60).padStart(2, "0")}.${tenth}`;
});
const heading = computed(() => {
  if (!started.value) return "Ready when you are";
  if (over.value) return hold.value?.is_zero ? "Zero is a score" : "Over";
  return phase.value?.label ?? "";
});
const cue = computed(() => {
  if (!started.value) return "Five seconds to take the position, then the clock.";
  if (over.value) return state.value?.decision?.because ?? "Knees down, breathe.";
  return phase.value?.cue ?? "";
});

/** The bar reaches to the cap, else to a little beyond the longest of now and last time. */
const last = computed(() => hold.value?.last_s ?? null);
const reach = computed(() => {
  const h = hold.value;
  if (h?.limit_ms != null) return seconds(h.limit_ms);
  return Math.max(30, Math.ceil(Math.max(held.value, last.value ?? 0) / 30 + 0.2) * 30);
});
const share = (s: number) => `${Math.min(100, (100 * s) / reach.value)}%`;
const marks = computed(() => hold.value?.marks ?? []);
const seen = computed(() => marks.value.flatMap((m) => (m.at_ms == null ? [] : [{ label: m.mark.label, at: seconds(m.at_ms) }])));
/** The mark that is expected next has the large key. */
const next = computed(() => marks.value.find((m) => m.at_ms == null));
const canKeep = computed(() => over.value && !props.closed && (state.value?.can_finish === true || capped.value));

async function mark(input: string) {
  if (holding.value) await run.record({ kind: "marked", mark: input });
}
async function end() {
  if (holding.value) await run.record({ kind: "position_lost" });
}
async function zero() {
  if (started.value && !over.value) await run.record({ kind: "position_not_taken" });
}

onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (event.ctrlKey || event.metaKey || event.altKey || event.repeat || target.closest("textarea, .remark, button, a")) return;
  if (props.floor.status.value === "stopped" || !started.value) return;
  const pressed = event.key.toLowerCase();
  const marked = marks.value.find((m) => m.mark.key === pressed);
  if ((pressed === " " || pressed === "enter") && holding.value) void end();
  else if (pressed === "enter" && canKeep.value) emit("finish");
  else if (marked) void mark(marked.mark.input);
  else if (pressed === "0") void zero();
  else return;
  event.preventDefault();
});
</script>

<template>
  <main v-if="state && hold">
    <section class="left">
      <div class="says">
        <h1>{{ heading }}</h1>
        <p class="cue" aria-live="polite">{{ cue }}</p>
      </div>
      <p class="held num" role="timer" :class="{ hot: holding }">{{ figures }}<small v-if="held < 60 && begun"> s</small></p>
      <slot v-if="!started" name="start" />
      <div v-else class="line" role="img" :aria-label="`Held ${held} seconds`">
        <div class="track">
          <i :style="{ width: share(held) }"></i>
          <i v-if="seen[0]" class="after" :style="{ left: share(seen[0].at), width: `calc(${share(held)} - ${share(seen[0].at)})` }"></i>
          <b v-for="m in seen" :key="m.label" :style="{ left: share(m.at) }"></b>
          <span class="reach num">{{ minutes(reach * 1000) }}</span>
        </div>
        <p v-for="m in seen" :key="m.label" class="seen" :style="{ marginLeft: `min(${share(m.at)}, calc(100% - 16ch))` }">
          {{ m.label.toLowerCase() }} at <span class="num">{{ m.at.toFixed(1) }}</span>
        </p>
        <template v-if="last != null">
          <div class="before"><i :style="{ width: share(last) }"></i></div>
          <p class="soft">{{ hold.last_time }}</p>
        </template>
      </div>
      <slot name="below" />
    </section>
    <section class="side">
      <h2>What to watch</h2>
      <div class="watch">
        <b>It ends when the position is lost</b>
        <span>Hips up, hips down, or a knee on the floor. One word of warning; the second time it is over.</span>
      </div>
      <div v-if="seen.length && !over" class="watch care">
        <b>{{ seen.at(-1)!.label }}</b>
        <span>It is noted; the hold goes on. Let the client keep breathing.</span>
      </div>
      <p class="soft">A client who cannot take the position scores 0. That is a starting point.</p>
      <RemarkLog :state="state" :working="false" @remark="(text) => run.record({ kind: 'noted', text })" />
    </section>
  </main>
  <footer class="foot keys">
    <template v-if="!over">
      <button
        v-for="m in marks"
        :key="m.mark.input"
        type="button"
        :class="{ next: m === next }"
        :disabled="!holding || m.at_ms != null"
        @click="mark(m.mark.input)"
      >
        {{ m.mark.label }} <kbd>{{ m.mark.key.toUpperCase() }}</kbd>
      </button>
      <button v-if="!begun || held < 3" type="button" class="quiet" :disabled="!started" @click="zero">
        {{ hold?.zero }} <kbd>0</kbd>
      </button>
    </template>
    <button v-if="run.undoable && !closed" type="button" class="quiet" @click="emit('undo')">Undo {{ run.undoable }} <kbd>U</kbd></button>
    <button v-if="!over" type="button" class="big main" :disabled="!holding" @click="end">{{ hold?.ends }} <kbd>Space</kbd></button>
    <button v-else-if="canKeep" type="button" class="big main" :disabled="finishing" @click="emit('finish')">
      Save result <kbd>Enter</kbd>
    </button>
  </footer>
</template>

<style scoped>
.held {
  font-weight: 600;
  font-size: clamp(104px, 17vw, 200px);
  line-height: 0.95;
  letter-spacing: -0.05em;
  margin: 0;
}
.held small {
  font-size: 0.3em;
  color: var(--soft);
  letter-spacing: 0;
}
.track,
.before {
  position: relative;
  height: 36px;
  border: 2px solid var(--line);
  border-radius: 6px;
}
.track i,
.before i {
  position: absolute;
  inset: 0 auto 0 0;
  background: var(--band);
  border-radius: 4px;
}
.track i.after {
  background: color-mix(in srgb, var(--ochre) 34%, var(--paper));
  border-radius: 0 4px 4px 0;
}
.track b {
  position: absolute;
  top: -8px;
  bottom: -8px;
  width: 3px;
  background: var(--ochre);
}
.reach {
  position: absolute;
  right: 8px;
  top: 4px;
  color: var(--soft);
}
.seen {
  margin: 10px 0 0;
  color: var(--ochre);
  white-space: nowrap;
}
.before {
  height: 12px;
  margin-top: 22px;
}
.watch {
  background: var(--card);
  border-left: 5px solid var(--fjord);
  border-radius: 8px;
  padding: 12px 15px;
}
.watch b {
  display: block;
  font-size: 18px;
}
.watch span {
  color: var(--soft);
}
.watch.care {
  border-color: var(--ochre);
}
</style>
