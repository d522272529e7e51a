<script setup lang="ts">
import { computed } from "vue";
import { api, take } from "@/api/client";
import BodyMap from "@/components/BodyMap.vue";
import PictureBox from "@/components/PictureBox.vue";
import { useLoad } from "@/composables/useLoad";
import { theSheet } from "@/floor/useSheet";
import { shown } from "@/logic/sheet";
import { here } from "@/outbox/queue";
import { useRun } from "@/stores/run";

/** What the reading that comes now looks like: the tape on the body, else the pose or the course. Without a line there is none. */
const run = useRun();
const sheet = theSheet();
const { row, units } = sheet;
const { data } = useLoad(async () => {
  const { id } = run.view!;
  // A test that was set up on this screen brings its own.
  return (await here(id).catch(() => undefined))?.pictures ?? take(api.GET("/api/runs/{id}/pictures", { params: { path: { id } } }));
});
const map = computed(() => {
  const of = data.value?.body_map;
  return of?.tapes.some((t) => t.input === row.value.input) ? of : null;
});
const values = computed(() =>
  Object.fromEntries(
    sheet.sheet.value.rows.flatMap((r) => {
      const cell = r.cells.at(-1);
      return cell ? [[r.side ? `${r.input}.${r.side}` : r.input, shown(r, cell.value, units.value)]] : [];
    }),
  ),
);
const pictures = computed(() => {
  const all = data.value?.drawings ?? [];
  const own = all.filter((d) => d.input === row.value.input);
  return (own.length ? own : all.filter((d) => !d.input)).slice(0, 2);
});
</script>

<template>
  <aside class="picture">
    <BodyMap v-if="map" :map="map" :values="values" :at="row.input" :side="row.side" floor />
    <template v-else>
      <PictureBox v-for="(d, k) in pictures" :key="k" :drawing="d" />
    </template>
  </aside>
</template>

<style scoped>
.picture {
  display: flex;
  flex-direction: column;
  gap: 22px;
  padding: 24px;
  overflow: hidden;
  border-left: 1px solid var(--line);
}
.picture :deep(.prop) {
  stroke: var(--soft);
}
.picture :deep(figcaption) {
  color: var(--soft);
}
@media (max-width: 900px) {
  .picture {
    padding: 4px 16px;
    border: 0;
    align-items: center;
  }
  .picture :deep(svg) {
    max-height: 190px;
  }
  .picture :deep(figure:nth-child(n + 2)),
  .picture :deep(figcaption) {
    display: none;
  }
}
</style>
