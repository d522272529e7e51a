<script setup lang="ts">
import { computed, ref } from "vue";
import type { PhotoDay } from "@/api/types";
import { dayYear } from "@/logic/dates";

/** Two days side by side, view by view: the first and the latest unless others are chosen. */
const props = defineProps<{ days: PhotoDay[]; src: (id: string) => string; name: string }>();
const left = ref(props.days.at(-1)?.on ?? "");
const right = ref(props.days[0]?.on ?? "");
const day = (on: string) => props.days.find((d) => d.on === on);
const views = computed(() => {
  const seen = [...(day(left.value)?.shots ?? []), ...(day(right.value)?.shots ?? [])].map((s) => s.view);
  return ["front", "left", "back", "right"].filter((v) => seen.includes(v));
});
const of = (on: string, view: string) => day(on)?.shots.find((s) => s.view === view);
</script>

<template>
  <section>
    <h2>Side by side</h2>
    <div class="days no-print">
      <select v-model="left" class="native" aria-label="Earlier day">
        <option v-for="d in days" :key="d.on" :value="d.on">{{ dayYear(d.on) }}</option>
      </select>
      <span class="soft">and</span>
      <select v-model="right" class="native" aria-label="Later day">
        <option v-for="d in days" :key="d.on" :value="d.on">{{ dayYear(d.on) }}</option>
      </select>
    </div>
    <div class="pairs">
      <figure v-for="view in views" :key="view">
        <div class="pair">
          <div v-for="on in [left, right]" :key="on" class="half">
            <img v-if="of(on, view)" :src="src(of(on, view)!.id)" :alt="`${name} from the ${view}, ${dayYear(on)}`" />
            <span v-else class="soft">not taken</span>
          </div>
        </div>
        <figcaption class="soft">{{ view }}</figcaption>
      </figure>
    </div>
  </section>
</template>

<style scoped>
.days {
  display: flex;
  gap: 12px;
  align-items: center;
  flex-wrap: wrap;
  margin: 6px 0 14px;
}
.days .native {
  width: auto;
}
.pairs {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 380px), 1fr));
  gap: 24px 28px;
}
figure {
  margin: 0;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 4px;
}
.half {
  height: 320px;
  background: var(--card);
  display: grid;
  place-items: center;
}
.half img {
  width: 100%;
  height: 320px;
  object-fit: contain;
}
figcaption {
  text-transform: capitalize;
  margin-top: 4px;
}
</style>
