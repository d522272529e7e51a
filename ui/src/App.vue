<script setup lang="ts">
import { computed, ref, watch, watchEffect } from "vue";
import { useRoute, useRouter } from "vue-router";
import AppShell from "./components/AppShell.vue";
import { later } from "./composables/later";
import { keepApplication } from "./offline/worker";
import { useSession } from "./stores/session";
import { useWaiting } from "./stores/waiting";

const SignInAgain = later(() => import("./components/SignInAgain.vue"));
const session = useSession();
const waiting = useWaiting();
const route = useRoute();
const router = useRouter();
/** The session has ended once: the sheet stays, to say so and to go. */
const ended = ref(false);
watchEffect(() => (ended.value ||= session.expired));
/** For whoever is signed in: a client who opens a link and a partner keep nothing. What an earlier page could not send goes now. */
watch(
  () => session.info?.id,
  (id) => {
    if (!id) return;
    keepApplication(router);
    waiting.begin();
  },
  { once: true },
);
const bare = computed(() => route.meta.bare ?? false);
</script>

<template>
  <RouterView v-if="bare" :key="route.fullPath" />
  <AppShell v-else>
    <RouterView :key="route.fullPath" />
  </AppShell>
  <SignInAgain v-if="ended" />
</template>
