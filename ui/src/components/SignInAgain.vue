<script setup lang="ts">
import { useRun } from "@/stores/run";
import { useSession } from "@/stores/session";
import SignInForm from "./SignInForm.vue";

/** Lies over the page when the session ends: the page stays as it is, nothing typed is lost. */
const session = useSession();
const run = useRun();

async function back() {
  if (run.view) await run.send();
}
</script>

<template>
  <ElDialog
    v-model="session.expired"
    title="Your session has ended. Sign in to go on."
    width="min(440px, 94vw)"
    :close-on-click-modal="false"
    :close-on-press-escape="false"
    :show-close="false"
    append-to-body
  >
    <p>This page stays as it is. Readings are kept on this screen and sent as soon as you are back.</p>
    <SignInForm v-if="session.expired" @done="back" />
  </ElDialog>
</template>
