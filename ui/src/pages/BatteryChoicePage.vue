<script setup lang="ts">
import { api, take } from "@/api/client";
import BatteryLines from "@/components/BatteryLines.vue";
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
    <BatteryLines v-else :batteries="list" :to="(b) => `/people/${id}/visits/new?battery=${b.battery.id}`" />
  </div>
</template>

<style scoped>
h1 {
  margin-bottom: 14px;
}
</style>
