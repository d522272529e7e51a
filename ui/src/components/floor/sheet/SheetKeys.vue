<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, nextTick, ref, useTemplateRef, watch, type Component } from "vue";
import { theSheet, type Keys } from "@/floor/useSheet";
import type { Take } from "@/logic/sheet";
import { useRun } from "@/stores/run";
import CountTake from "./takes/CountTake.vue";
import LadderTake from "./takes/LadderTake.vue";
import LoadTake from "./takes/LoadTake.vue";
import ReadTake from "./takes/ReadTake.vue";
import SeenTake from "./takes/SeenTake.vue";
import StartsTake from "./takes/StartsTake.vue";
import WatchTake from "./takes/WatchTake.vue";

/** The keys for what is taken now, and those that every sheet has: undo, save the result. */
const props = defineProps<{ closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: []; undo: [] }>();
const run = useRun();
const sheet = theSheet();
const { row, started, wrong, timing, full, live, halfOne, canFinish } = sheet;
const takes: Record<Exclude<Take["kind"], "hold">, Component> = {
  read: ReadTake,
  count: CountTake,
  watch: WatchTake,
  starts: StartsTake,
  ladder: LadderTake,
  seen: SeenTake,
  load: LoadTake,
};
const kind = computed(() => row.value.take.kind as keyof typeof takes);
const keys = useTemplateRef<Keys>("keys");

/** Saved before the bell, or with one side of two: asked first. The key that asked does not answer: pressed twice it goes on. */
const asking = ref<string | null>(null);
const onward = useTemplateRef("onward");
async function finish() {
  asking.value = sheet.doubt();
  if (!asking.value) return emit("finish");
  await nextTick();
  onward.value?.focus();
}
function goOn() {
  asking.value = null;
  keys.value?.focus?.();
}
watch(sheet.doubt, (now) => asking.value && (asking.value = now));
const undoable = computed(() => (props.closed ? null : run.undoable));
/** The result is what comes next: its key is the large one. */
const isNext = computed(() => full.value || !live.value || halfOne.value || (sheet.sheet.value.next == null && kind.value !== "count"));

/** Something is typed and not saved: Enter saves that first. */
const typing = computed(() => keys.value?.isTyping?.() ?? false);

onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  // The key that started the clock starts no stopwatch.
  if (event.defaultPrevented || event.ctrlKey || event.metaKey || event.altKey || !started.value) return;
  if (target.closest("textarea, select, .remark, .reason, button, a")) return;
  const key = event.key.toLowerCase();
  // An empty field for a number has no use for Space: it is the clock or the count, as it is everywhere. A load is lifted by M and X.
  const inField = target.tagName === "INPUT" && !(key === " " && !typing.value && row.value.kind !== "words");
  const lifts = kind.value === "load" && (key === "m" || key === "x");
  const saves = key === "enter" && !typing.value && canFinish.value && !timing.value;
  if (saves && asking.value) {
    goOn();
    event.preventDefault();
  } else if ((!inField || lifts) && keys.value?.press(key, event)) event.preventDefault();
  else if (saves) {
    finish();
    event.preventDefault();
  }
});
</script>

<template>
  <footer class="foot keys">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="asking" class="early" role="alertdialog" aria-label="Before it is saved">
      <p>{{ asking }}</p>
      <button ref="onward" type="button" class="main" @click="goOn">Go on</button>
      <button type="button" @click="emit('finish')">Save it as it is</button>
    </div>
    <button v-if="undoable" type="button" class="quiet" @click="emit('undo')">Undo {{ undoable }} <kbd>U</kbd></button>
    <component :is="takes[kind]" v-if="started" :key="kind" ref="keys" />
    <button
      v-if="canFinish && !timing && !asking"
      type="button"
      :class="{ main: isNext, big: isNext }"
      :disabled="finishing"
      @click="finish"
    >
      Save result <kbd v-if="!typing">Enter</kbd>
    </button>
  </footer>
</template>

<style scoped>
.early {
  flex: 1 1 100%;
  display: flex;
  flex-wrap: wrap;
  gap: 10px 16px;
  align-items: center;
}
.early p {
  margin: 0;
  font-weight: 600;
}
.wrong {
  flex: 1 1 100%;
  margin: 0;
}
</style>
