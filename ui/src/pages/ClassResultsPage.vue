<script setup lang="ts">
import { api, take } from "@/api/client";
import PageState from "@/components/PageState.vue";
import { rounded } from "@/composables/numbers";
import { useLoad } from "@/composables/useLoad";

/** What a class brought: each performer with the count, and who is missing. */
const props = defineProps<{ id: string }>();
const { data: view, failure, loading, reload } = useLoad(() => take(api.GET("/api/runs/{id}", { params: { path: { id: props.id } } })));
</script>

<template>
  <PageState v-if="!view" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ view.protocol_name }}</h1>
        <div class="soft">
          {{ view.performers.filter((p) => p.result).length }} of {{ view.performers.length }} saved ·
          {{ view.conditions.map((c) => `${c.label.toLowerCase()} ${c.value}`).join(" · ") }}
        </div>
      </div>
    </div>
    <ul class="rows">
      <li v-for="p in view.performers" :key="p.slot">
        <RouterLink class="row-link" :to="p.result ? `/results/${p.result}` : `/people/${p.person}`">
          <b>{{ p.name }}</b>
          <span class="num">{{ p.reading?.bpm != null ? `${rounded(p.reading.bpm, 0)} bpm` : "no count: the test is still owed" }}</span>
        </RouterLink>
      </li>
    </ul>
  </div>
</template>

<style scoped>
.row-link {
  justify-content: space-between;
}
</style>
