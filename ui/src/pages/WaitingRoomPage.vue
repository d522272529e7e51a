<script setup lang="ts">
import { api, take } from "@/api/client";
import type { SentLine } from "@/api/types";
import PageState from "@/components/PageState.vue";
import SentCard from "@/components/SentCard.vue";
import { useLoad } from "@/composables/useLoad";

/** Everything that clients took of themselves and nobody has looked at. */
const { data: lines, failure, loading, reload } = useLoad(() => take(api.GET("/api/self-entries")));
const decided = (line: SentLine) => (lines.value = lines.value!.map((l) => (l.id === line.id ? line : l)));
</script>

<template>
  <PageState v-if="!lines" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>Results from afar</h1>
        <div class="soft">
          Taken by the clients themselves. Each becomes a result when you take it in, and stays marked as self-reported.
        </div>
      </div>
    </div>
    <p v-if="!lines.length">Nothing is waiting. Make a link on the page of a visit or a group visit.</p>
    <div class="cards"><SentCard v-for="l in lines" :key="l.id" :line="l" named @decided="decided" /></div>
  </div>
</template>

<style scoped>
.cards {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 380px), 1fr));
  gap: 14px;
  align-items: start;
}
</style>
