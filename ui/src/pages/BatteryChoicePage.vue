<script setup lang="ts">
import { api, take } from "@/api/client";
import PageState from "@/components/PageState.vue";
import { useLoad } from "@/composables/useLoad";

/** Which battery a visit is to be: the practice's own, and those that ship. */
defineProps<{ id: string }>();
const { data: list, failure, loading, reload } = useLoad(() => take(api.GET("/api/batteries")));
</script>

<template>
  <div class="page">
    <h1>Which battery?</h1>
    <PageState v-if="!list" :failure="failure" :loading="loading" @again="reload" />
    <ul v-else class="batteries">
      <li v-for="b in list" :key="b.battery.id">
        <RouterLink :to="{ path: `/people/${id}/visits/new`, query: { battery: b.battery.id } }">
          <span class="head"
            ><b>{{ b.battery.name }}</b
            ><small>{{ b.names.length }} tests · {{ b.minutes }} min<template v-if="b.own"> · your own</template></small></span
          >
          <span>{{ b.battery.summary }}</span>
          <span class="soft">{{ b.names.join(" → ") }}</span>
        </RouterLink>
      </li>
    </ul>
  </div>
</template>

<style scoped>
h1 {
  margin-bottom: 14px;
}
.batteries {
  list-style: none;
  padding: 0;
  margin: 0;
}
.batteries li {
  border-top: 1px solid var(--line);
}
.batteries a {
  display: grid;
  gap: 2px;
  padding: 12px 8px;
  color: var(--ink);
  text-decoration: none;
}
.batteries a:hover,
.batteries a:focus-visible {
  background: var(--card);
}
.head {
  display: flex;
  justify-content: space-between;
  gap: 12px;
  align-items: baseline;
}
.head b {
  font-size: 18px;
}
.head small {
  color: var(--soft);
  font-size: 15px;
  white-space: nowrap;
}
</style>
