<script setup lang="ts">
import { computed, ref, watchEffect } from "vue";
import { useRoute } from "vue-router";
import AppShell from "./components/AppShell.vue";
import { later } from "./composables/later";
import { useSession } from "./stores/session";

const SignInAgain = later(() => import("./components/SignInAgain.vue"));
const session = useSession();
const route = useRoute();
/** The session has ended once: the sheet stays, to say so and to go. */
const ended = ref(false);
watchEffect(() => (ended.value ||= session.expired));
const bare = computed(() => route.meta.bare ?? false);
</script>

<template>
  <RouterView v-if="bare" :key="route.fullPath" />
  <AppShell v-else>
    <RouterView :key="route.fullPath" />
  </AppShell>
  <SignInAgain v-if="ended" />
</template>
