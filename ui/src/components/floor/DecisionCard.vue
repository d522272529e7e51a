<script setup lang="ts">
import { computed } from "vue";
import type { Decision } from "@/api/types";

/** What was decided, in one line with the reason; and what was decided instead, where it was overruled. */
const props = defineProps<{ decision: Decision }>();
const heads: Record<Decision["code"], string> = {
  reading_holds: "The reading holds",
  recount_asked: "Count again",
  recount_waived: "Kept as counted",
  reading_questioned: "Is that right?",
  reading_noted: "First reading",
  one_more_minute: "One more minute",
  stage_counts: "The stage counts",
  stage_too_low: "Steady, but low",
  no_steady_state: "No steady state",
  heavier_offered: "Too light",
  too_high: "Stop here",
  ceiling_reached: "Ceiling reached",
  complete: "Test complete",
  set_aside: "Set aside",
};
const tone = computed(() => {
  const code = props.decision.code;
  if (["too_high", "ceiling_reached"].includes(code)) return "halt";
  if (["reading_questioned", "no_steady_state", "set_aside", "recount_asked", "heavier_offered", "one_more_minute"].includes(code))
    return "ask";
  return "";
});
</script>

<template>
  <div class="say" :class="tone" aria-live="polite">
    <h2>{{ heads[decision.code] }}</h2>
    <p>{{ decision.because }}</p>
    <p v-if="decision.overruled" class="over"><b>Overruled:</b> {{ decision.overruled }}</p>
  </div>
</template>

<style scoped>
.say {
  background: var(--card);
  border-left: 5px solid var(--fjord);
  border-radius: 8px;
  padding: 14px 16px;
}
.say.ask {
  border-color: var(--ochre);
  background: var(--ochre-wash);
}
.say.halt {
  border-color: var(--madder);
  background: var(--madder-wash);
}
h2 {
  color: var(--ink);
  font-size: 21px;
  margin-bottom: 4px;
}
p {
  color: var(--ink);
  margin: 0;
  font-size: 17px;
}
.over {
  color: var(--soft);
  margin-top: 6px;
}
</style>
