<script setup lang="ts">
import type { Reading } from "@/api/types";
import { rounded } from "@/composables/numbers";

/** The reading that stands, large enough for the other side of the hall. */
defineProps<{ reading: Reading }>();
</script>

<template>
  <div class="reading" aria-live="polite">
    <template v-if="reading.bpm != null">
      <p class="bpm">
        <b>{{ rounded(reading.bpm, 0) }}</b> bpm
      </p>
      <p class="how">
        {{ rounded(reading.typed ?? reading.taps?.count ?? 0, 1) }} beats {{ reading.typed != null ? "counted" : "tapped" }}
        <template v-if="reading.taps?.bpm != null">· taps run at {{ rounded(reading.taps.bpm, 0) }} bpm</template>
      </p>
    </template>
    <p v-else class="wait">Type the number of beats, then Enter.</p>
  </div>
</template>

<style scoped>
.reading {
  flex: 1;
  display: grid;
  place-content: center start;
  min-height: 180px;
}
.bpm {
  font-size: 34px;
  color: var(--soft);
  margin: 0;
}
.bpm b {
  font-size: clamp(90px, 12vw, 150px);
  line-height: 1;
  font-weight: 650;
  color: var(--ink);
  font-variant-numeric: tabular-nums;
  letter-spacing: -0.03em;
}
.how,
.wait {
  font-size: 22px;
  color: var(--soft);
  margin: 6px 0 0;
}
</style>
