<script setup lang="ts">
import { computed, ref } from "vue";
import { ofFloor } from "@/logic/floor";
import type { RunView } from "@/api/types";

/** The assessor's word against the decision: with a reason, which is kept. */
const props = defineProps<{ state: RunView["state"] }>();
const emit = defineEmits<{ minute: [reason: string]; accept: [reason: string]; load: [kgm_min: number, reason: string] }>();
const open = ref(false);
const reason = ref("");
const code = computed(() => props.state.decision?.code ?? "");
const waits = computed(() => code.value === "one_more_minute" || code.value === "reading_noted");
const heavier = computed(() => ofFloor(props.state, "staged")?.heavier?.kgm_min ?? null);
const given = computed(() => reason.value.trim());
function done(act: () => void) {
  if (!given.value) return;
  act();
  [open.value, reason.value] = [false, ""];
}
</script>

<template>
  <div class="overrule">
    <button v-if="!open" type="button" class="quiet" @click="open = true">Decide otherwise…</button>
    <div v-else class="reason">
      <label><span>Why? It is saved with the run.</span><input v-model="reason" maxlength="400" autocomplete="off" /></label>
      <div class="acts">
        <button v-if="waits && code === 'one_more_minute'" type="button" :disabled="!given" @click="done(() => emit('accept', given))">
          Take it as steady
        </button>
        <button v-if="!waits" type="button" :disabled="!given" @click="done(() => emit('minute', given))">Add a minute</button>
        <button
          v-if="state.over_ms != null && heavier != null"
          type="button"
          :disabled="!given"
          @click="done(() => emit('load', heavier!, given))"
        >
          Go on at {{ heavier }} kgm/min
        </button>
        <button type="button" class="quiet" @click="open = false">Cancel</button>
      </div>
    </div>
  </div>
</template>

<style scoped>
.reason {
  border: 1px solid var(--ochre);
  border-radius: 10px;
  padding: 10px 12px;
  display: grid;
  gap: 8px;
}
.reason label span {
  display: block;
  color: var(--soft);
}
.reason input {
  width: 100%;
  font: inherit;
  min-height: 48px;
  padding: 8px 12px;
  border-radius: 8px;
  border: 1px solid var(--line);
  background: var(--card);
  color: var(--ink);
}
.acts {
  display: flex;
  gap: 8px;
  flex-wrap: wrap;
}
</style>
