<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import PageState from "@/components/PageState.vue";
import { useLoad } from "@/composables/useLoad";

const { data: tests, failure, loading, reload } = useLoad(() => take(api.GET("/api/protocols")));
const text = ref("");
const plain = (s: string) => s.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();
const found = computed(
  () =>
    tests.value?.filter((t) =>
      plain(text.value)
        .split(/\s+/)
        .every((w) => t.searched.includes(w)),
    ) ?? [],
);
</script>

<template>
  <PageState v-if="!tests" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <h1>Test library</h1>
      <span class="grow"></span>
      <RouterLink to="/classes/new">A class in pairs</RouterLink>
      <RouterLink to="/rehearsals/new">Rehearse a test</RouterLink>
    </div>
    <ElInput
      v-model="text"
      size="large"
      type="search"
      aria-label="Find a test"
      placeholder="What is done, or author, year or title of the publication"
    />
    <ul class="rows list">
      <li v-for="t in found" :key="t.id">
        <RouterLink class="row-link" :to="`/tests/${t.id}`">
          <span class="what"
            ><b>{{ t.name }}</b
            ><span>{{ t.summary }}</span
            ><small>{{ t.tells }}</small></span
          >
          <span class="soft right"
            >{{ t.minutes }} min<small v-if="t.based_on">own copy</small><small v-else-if="!t.live">entered afterwards</small></span
          >
        </RouterLink>
      </li>
    </ul>
    <p v-if="!found.length">No test matches “{{ text }}”.</p>
  </div>
</template>

<style scoped>
.right {
  margin-left: auto;
  text-align: right;
  white-space: nowrap;
}
.right small {
  display: block;
}
.list {
  margin-top: 18px;
}
.what {
  flex: 1;
  display: flex;
  flex-direction: column;
  line-height: 1.4;
  max-width: 82ch;
}
b {
  font-size: 18px;
}
small {
  color: var(--soft);
  font-size: 15px;
}
</style>
