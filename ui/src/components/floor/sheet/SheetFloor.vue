<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed } from "vue";
import BeatArc from "@/components/BeatArc.vue";
import type { Floor } from "@/floor/useFloor";
import { useStrap } from "@/floor/useStrap";
import { provideSheet, useSheet } from "@/floor/useSheet";
import { earlier, sentence } from "@/logic/sheet";
import { inUnits } from "@/logic/units";
import { useRun } from "@/stores/run";
import RemarkLog from "../RemarkLog.vue";
import StrapNow from "../StrapNow.vue";
import TapPad from "../TapPad.vue";
import SheetKeys from "./SheetKeys.vue";
import SheetList from "./SheetList.vue";
import SheetPicture from "./SheetPicture.vue";

/** A test in attempts: what is taken now in the middle, everything it takes at the left, what it looks like at the right. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const sheet = useSheet(props.floor, () => props.closed);
provideSheet(sheet);
const { ms, state, units, row, started, due, dues, taking, timed, left, rest, resting, countingIn, figure, under, beat } = sheet;
const strap = useStrap();

/** What was taken of this reading before, and last time: beside the field, as it is typed. */
const before = computed(() => (row.value.take.kind === "read" && row.value.tries > 1 ? earlier(row.value, units.value) : []));
const agree = computed(() => {
  const within = row.value.agree_within;
  return within != null && row.value.cells.length === 1
    ? `Measure a third time only if the two differ by more than ${inUnits(within, row.value.unit, units.value)}.`
    : "";
});
const counts = computed(() => sheet.styles.value.length > 0 || row.value.take.kind === "count");
const sides = computed(() => [...new Set(sheet.sheet.value.rows.flatMap((r) => r.side ?? []))].sort());
const canSwap = computed(() => !props.closed && sheet.sheet.value.rows.some((r) => r.side && r.cells.length));

onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (!due.value || event.ctrlKey || event.metaKey || event.altKey || event.repeat || target.closest("textarea, .remark, .reason")) return;
  const key = event.key.toLowerCase();
  if (key === "t") taking.tap();
  else if (key === "m") taking.change();
  else return;
  event.preventDefault();
});
</script>

<template>
  <main v-if="state" class="sheet-floor" :class="{ counts }">
    <section class="list">
      <StrapNow v-if="dues.length && !run.view?.rehearsal" :state="state" :ms="ms" :strap="strap" :simulated="false" />
      <SheetList
        :sheet="sheet.sheet.value"
        :at="sheet.at.value"
        :closed="closed"
        :units="units"
        @choose="sheet.choose"
        @strike="sheet.strike"
      />
      <button v-if="canSwap" type="button" class="quiet swap" @click="sheet.swap()">
        {{ sentence(sides.join(" and ")) }} were swapped
      </button>
      <RemarkLog :state="state" :working="false" @remark="(text) => run.record({ kind: 'noted', text })" />
    </section>
    <section class="middle">
      <div class="says">
        <h1>{{ sheet.heading.value }}</h1>
        <p class="cue" aria-live="polite">{{ floor.call.value ?? sheet.cue.value }}</p>
      </div>
      <div id="sheet-tiles" class="tiles"></div>
      <div class="now">
        <p
          v-if="figure && row.kind !== 'points'"
          class="figure num"
          role="timer"
          :class="{ hot: sheet.timing.value, long: figure.length > 6 }"
        >
          {{ figure }}<small v-if="under">{{ ` ${under}` }}</small>
        </p>
        <BeatArc v-if="beat" :beat="beat" :ms="floor.beatMs.value" />
      </div>
      <div id="sheet-field"></div>
      <div v-if="timed && started && !countingIn && left > 0" class="bar" aria-hidden="true">
        <i :style="{ width: `${(100 * left) / (timed.end_ms! - timed.start_ms)}%` }"></i>
      </div>
      <div v-else-if="rest && resting > 0" class="bar rest" aria-hidden="true">
        <i :style="{ width: `${(100 * resting) / (rest.until_ms - rest.from_ms)}%` }"></i>
      </div>
      <TapPad v-if="due" :taking="taking" />
      <slot v-if="!started" name="start" />
      <dl v-if="before.length" class="before">
        <template v-for="b in before" :key="b.label">
          <dt>{{ b.label }}</dt>
          <dd class="num" :class="{ struck: !b.counts }">{{ b.value }}</dd>
        </template>
      </dl>
      <p v-if="sheet.lastTime.value" class="soft last">{{ sheet.lastTime.value }}</p>
      <p v-if="agree" class="soft last">{{ agree }}</p>
      <slot name="below" />
    </section>
    <SheetPicture />
  </main>
  <SheetKeys :closed="closed" :finishing="finishing" @finish="emit('finish')" @undo="emit('undo')" />
</template>

<style scoped>
.floor main.sheet-floor {
  grid-template-columns: 320px minmax(0, 1fr) 330px;
}
/* Clock and count fill the screen; the picture was seen before the start. */
.floor main.sheet-floor.counts {
  grid-template-columns: 300px minmax(0, 1fr) 240px;
}
.list {
  display: flex;
  flex-direction: column;
  gap: 14px;
  padding: 16px 0 16px;
  border-right: 1px solid var(--line);
  min-height: 0;
  overflow-y: auto;
}
.list > :not(ul) {
  margin-inline: 18px;
}
.middle {
  padding: 26px 36px;
  display: flex;
  flex-direction: column;
  gap: 24px;
  min-height: 0;
  overflow-y: auto;
}
.says :deep(.cue) {
  min-height: 0;
}
.now {
  display: flex;
  align-items: center;
  gap: 32px;
}
.now:empty,
.tiles:empty {
  display: none;
}
.now > :deep(.arc) {
  flex: 1;
  max-width: 420px;
}
.figure {
  display: flex;
  flex-wrap: wrap;
  align-items: baseline;
  column-gap: 18px;
  font-weight: 600;
  font-size: clamp(96px, 15vw, 180px);
  line-height: 0.95;
  letter-spacing: -0.05em;
  margin: 0;
}
.counts .figure {
  font-size: clamp(120px, 21vw, 250px);
}
.figure.long {
  font-size: clamp(56px, 8vw, 96px);
}
.figure small {
  font-size: 24px;
  font-weight: 400;
  color: var(--soft);
  letter-spacing: 0;
  font-family: inherit;
  line-height: 1.25;
}
/* The words at the left, what was judged at the right, in every tile alike. */
.tiles :deep(button) {
  justify-content: flex-start;
  text-align: left;
}
.tiles {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 300px), 1fr));
  gap: 12px;
}
.before {
  display: grid;
  grid-template-columns: max-content 1fr;
  gap: 8px 22px;
  margin: 0;
  font-size: 19px;
}
.before dt {
  color: var(--soft);
}
.before dd {
  margin: 0;
}
.before .struck {
  text-decoration: line-through;
  color: var(--soft);
}
.last {
  margin: 0;
  font-size: 19px;
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
@media (max-width: 900px) {
  .floor main.sheet-floor,
  .floor main.sheet-floor.counts {
    grid-template-columns: 1fr;
  }
  .middle {
    order: 1;
    padding: 10px 16px;
    gap: 12px;
    overflow: visible;
  }
  .list {
    order: 3;
    border: 0;
    padding: 6px 0 12px;
    overflow: visible;
  }
  .sheet-floor > :deep(.picture) {
    order: 2;
  }
  .counts > :deep(.picture) {
    display: none;
  }
  .counts .figure {
    font-size: min(42vw, 26vh);
  }
  .counts .cue {
    font-size: 17px;
  }
  .figure {
    column-gap: 12px;
  }
  .figure small {
    font-size: 21px;
  }
}
</style>
