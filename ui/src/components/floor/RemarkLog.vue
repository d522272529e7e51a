<script setup lang="ts">
import { computed, ref } from "vue";
import type { RunView } from "@/api/types";
import { isOffBeat, offBeat } from "@/floor/offBeat";

/** What was noted on the way, and the field for the next remark. */
const props = defineProps<{ state: RunView["state"]; working: boolean }>();
const emit = defineEmits<{ lost: [back: boolean]; remark: [text: string] }>();
const text = ref("");
const start = computed(() => props.state.timeline.phases.find((p) => p.kind === "work")?.start_ms ?? 0);
const off = computed(() => isOffBeat(props.state));
/** The keys belong to the run again once a remark is kept. */
function add() {
  if (text.value.trim()) emit("remark", text.value.trim());
  text.value = "";
  (document.activeElement as HTMLElement | null)?.blur();
}
</script>

<template>
  <ul v-if="state.notes.length || state.off_beat.length" class="log">
    <li v-for="(o, k) in state.off_beat" :key="k">{{ offBeat(o, start) }}</li>
    <li v-for="(note, k) in state.notes" :key="`n${k}`">{{ note }}</li>
  </ul>
  <div class="foot-of-side">
    <button v-if="working && state.timeline.beat" type="button" class="quiet" :class="{ off }" @click="emit('lost', off)">
      {{ off ? "Back on the beat" : "Off the beat" }} <kbd>C</kbd>
    </button>
    <form class="remark" @submit.prevent="add">
      <label class="visually-hidden" for="remark">Remark</label>
      <input id="remark" v-model="text" maxlength="400" placeholder="Add a remark" autocomplete="off" />
    </form>
  </div>
</template>

<style scoped>
.log {
  margin: 0;
  padding-left: 18px;
  color: var(--soft);
}
.foot-of-side {
  margin-top: auto;
  display: flex;
  gap: 10px;
  flex-wrap: wrap;
}
.off {
  border-color: var(--ochre);
  color: var(--ochre);
}
.remark {
  flex: 1 1 160px;
}
.remark input {
  width: 100%;
  font: inherit;
  min-height: 48px;
  padding: 8px 12px;
  border-radius: 8px;
  border: 1px solid var(--line);
  background: var(--card);
  color: var(--ink);
}
.remark input::placeholder {
  color: var(--soft);
}
</style>
