<script setup lang="ts">
import { computed } from "vue";
import { useRoute } from "vue-router";
import AppShell from "./components/AppShell.vue";
import SignInAgain from "./components/SignInAgain.vue";

const route = useRoute();
const bare = computed(() => route.meta.bare ?? false);
</script>

<template>
  <RouterView v-if="bare" :key="route.fullPath" />
  <AppShell v-else>
    <RouterView :key="route.fullPath" />
  </AppShell>
  <SignInAgain />
</template>
