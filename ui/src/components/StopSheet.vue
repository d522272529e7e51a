<script setup lang="ts">
import { computed, nextTick, onMounted, ref } from "vue";
import type { RunView, StopReason } from "@/api/types";
import SymptomsCard from "@/components/SymptomsCard.vue";
import { minutes } from "@/logic/dates";
import { reasonsIn } from "@/logic/reasons";

/** After Stop: a reason, not a loss. Symptoms lead to the stop-and-refer card. */
const props = defineProps<{ state: RunView["state"] }>();
const emit = defineEmits<{ undo: []; close: []; discard: []; explain: [reason: StopReason, note: string | null] }>();
const chosen = ref<StopReason | null>(props.state.stop_reason ?? null);
const note = ref(props.state.stop_note ?? "");
const sheet = ref<HTMLElement>();
const at = computed(() => {
  const work = props.state.timeline.phases.find((p) => p.kind === "work");
  return minutes(Math.max(0, (props.state.stopped_ms ?? 0) - (work?.start_ms ?? 0)));
});

onMounted(async () => {
  await nextTick();
  sheet.value?.querySelector("button")?.focus();
});
function keep() {
  emit("explain", chosen.value!, note.value.trim() || null);
  emit("close");
}
/** Asked a second time: nothing of it comes back. */
const sure = ref(false);
function discard() {
  if (!sure.value) return void (sure.value = true);
  if (chosen.value) emit("explain", chosen.value, note.value.trim() || null);
  emit("discard");
}
</script>

<template>
  <div class="over">
    <div ref="sheet" class="sheet" role="dialog" aria-modal="true" aria-labelledby="stop-h">
      <h1 id="stop-h">Stopped at {{ at }}</h1>
      <p class="soft">Why was it stopped? A stopped test never gets a score; its readings are saved with the reason.</p>
      <div class="reasons" role="radiogroup" aria-label="Reason">
        <button
          v-for="[key, words] in reasonsIn(state)"
          :key="key"
          type="button"
          role="radio"
          :aria-checked="chosen === key"
          :class="{ on: chosen === key, madder: key === 'symptoms' }"
          @click="chosen = key"
        >
          {{ words }}
        </button>
      </div>
      <SymptomsCard v-if="chosen === 'symptoms'" />
      <label><span>Anything to add</span><textarea v-model="note" rows="2" maxlength="2000"></textarea></label>
      <div class="acts">
        <button type="button" class="main" :disabled="!chosen" @click="keep">Save as stopped</button>
        <button type="button" @click="emit('undo')">Undo stop</button>
        <button v-if="chosen !== 'symptoms'" type="button" class="quiet" @click="discard">
          {{ sure ? "Yes, discard it" : "Discard" }}
        </button>
      </div>
      <p v-if="sure && chosen !== 'symptoms'" class="soft" role="status">
        Only a line in the activity log will remain. Press again to discard.
      </p>
    </div>
  </div>
</template>

<style scoped>
.over {
  position: fixed;
  inset: 0;
  background: color-mix(in srgb, var(--paper) 82%, transparent);
  display: grid;
  place-items: center;
  padding: 12px;
  overflow: auto;
}
.sheet {
  background: var(--card);
  border: 1px solid var(--line);
  border-top: 6px solid var(--madder);
  border-radius: 14px;
  padding: 24px 28px;
  width: min(640px, 100%);
}
.reasons {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
  margin: 12px 0 16px;
}
button {
  font: 600 17px var(--text);
  min-height: 52px;
  border-radius: 10px;
  border: 1px solid var(--soft);
  background: none;
  color: var(--ink);
  cursor: pointer;
  padding: 8px 16px;
}
button.madder {
  border-color: var(--madder);
}
button.on {
  background: var(--ink);
  color: var(--paper);
}
button.main {
  background: var(--fjord);
  border-color: var(--fjord);
  color: var(--on-fjord);
}
button:disabled {
  opacity: 0.45;
}
textarea {
  width: 100%;
  font: inherit;
  background: var(--paper);
  color: var(--ink);
  border: 1px solid var(--line);
  border-radius: 8px;
  padding: 8px 12px;
}
button.quiet {
  border-color: var(--line);
  color: var(--soft);
  margin-left: auto;
}
.acts {
  display: flex;
  gap: 12px;
  margin-top: 14px;
  flex-wrap: wrap;
}
</style>
