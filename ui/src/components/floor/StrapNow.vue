<script setup lang="ts">
import { computed } from "vue";
import type { RunView } from "@/api/types";
import type { Strap } from "@/floor/useStrap";

/** The chest strap: what it says now, that it is silent, or how to connect one. */
const props = defineProps<{ state: RunView["state"]; ms: number; strap: Strap; simulated: boolean }>();
const heard = computed(() => props.state.strap);
const silent = computed(
  () => heard.value != null && (heard.value.at_ms == null || props.ms - heard.value.at_ms > heard.value.gap_after_ms),
);
</script>

<template>
  <div v-if="heard" class="strap" :class="{ silent: silent || heard.problem }">
    <p>
      <b class="num">{{ silent ? "––" : heard.bpm }}</b> bpm <span>{{ simulated ? "simulated strap" : "chest strap" }}</span>
    </p>
    <p v-if="heard.problem" class="problem">{{ heard.problem }}</p>
    <p v-else-if="silent" class="problem">The strap is silent. Its minutes stay open: type the heart rate.</p>
  </div>
  <div v-else-if="strap.supported" class="strap none">
    <button type="button" class="quiet" :disabled="strap.connecting.value" @click="strap.connect()">
      {{ strap.connecting.value ? "Looking for the strap…" : "Connect a chest strap" }}
    </button>
    <p v-if="strap.problem.value" class="problem" role="alert">{{ strap.problem.value }}</p>
  </div>
</template>

<style scoped>
.strap p {
  margin: 0;
  color: var(--soft);
}
.strap b {
  font-size: 44px;
  line-height: 1;
  color: var(--ink);
  margin-right: 4px;
}
.strap span {
  margin-left: 10px;
}
.strap.silent b {
  color: var(--ochre);
}
.strap .problem {
  color: var(--ochre);
}
</style>
