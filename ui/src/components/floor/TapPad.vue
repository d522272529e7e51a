<script setup lang="ts">
import { computed } from "vue";
import type { Taking } from "@/floor/useTaking";

/** Where the pulse is tapped along, and what the taps say. Large while beats are being counted. */
const props = defineProps<{ taking: Taking }>();
const { counting, open, tapped, tapsHere, secondsLeft } = props.taking;
const aside = computed(() => {
  const t = tapped.value;
  if (!t) return "";
  return [t.missed && `${t.missed} missed, put back`, t.doubled && `${t.doubled} double, set aside`].filter(Boolean).join("; ");
});
</script>

<template>
  <button v-if="open" type="button" class="pad" :class="{ counting }" @pointerdown.prevent="taking.tap()">
    <template v-if="counting">
      <b class="num">{{ secondsLeft }}</b>
      <span
        >Count from zero: the beat on the signal is not one. Or tap here on each beat<span class="key">, or press <kbd>T</kbd></span></span
      >
    </template>
    <template v-else-if="tapped?.bpm != null">
      <b class="num">{{ Math.round(tapped.bpm) }}</b>
      <span
        >bpm tapped along<template v-if="aside"> ({{ aside }})</template></span
      >
    </template>
    <span v-else
      >Tap along with the pulse here<span class="key">, or press <kbd>T</kbd></span></span
    >
    <span v-if="tapsHere" class="num taps">{{ tapsHere }} {{ tapsHere === 1 ? "tap" : "taps" }}</span>
  </button>
</template>

<style scoped>
.pad {
  display: flex;
  align-items: center;
  gap: 18px;
  min-height: 56px;
  width: 100%;
  padding: 8px 18px;
  text-align: left;
  font: inherit;
  color: var(--soft);
  background: none;
  border: 2px dashed var(--line);
  border-radius: 12px;
  touch-action: none;
  cursor: pointer;
}
.pad.counting {
  min-height: 132px;
  border-color: var(--ember);
  color: var(--ink);
  font-size: 20px;
}
.pad b {
  flex: none;
  white-space: nowrap;
  overflow-wrap: normal;
  font-size: 30px;
  line-height: 1;
  color: var(--ink);
}
.pad.counting b {
  font-size: 72px;
  color: var(--ember);
}
@media (max-width: 900px) {
  .key {
    display: none;
  }
  .pad.counting {
    font-size: 17px;
    line-height: 1.3;
  }
}
.taps {
  margin-left: auto;
  white-space: nowrap;
}
</style>
