<script setup lang="ts">
import { ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import { useAction } from "@/composables/useAction";

/** A partner without an account: the code of one run. */
const router = useRouter();
const code = ref("");
const { busy, failure, run } = useAction();
async function join() {
  const given = code.value.replace(/[^a-z0-9]/gi, "").toUpperCase();
  if (!given) return;
  const view = await run(() => take(api.GET("/api/join/{code}", { params: { path: { code: given } } })));
  // Between two tests of a lesson a phone waits on its page.
  if (view || failure.value?.code === "nothing_runs") await router.push(`/join/${given}`);
}
</script>

<template>
  <div class="floor join">
    <form @submit.prevent="join">
      <h1>Join a run</h1>
      <label for="code">The code on the teacher’s screen</label>
      <input
        id="code"
        v-model="code"
        class="num"
        maxlength="12"
        autocapitalize="characters"
        autocomplete="off"
        autofocus
        spellcheck="false"
      />
      <FailureNote :failure="failure" />
      <button type="submit" class="go" :disabled="busy || !code.trim()">Join</button>
      <p class="soft">You need no account. It ends when the counting ends.</p>
    </form>
  </div>
</template>

<style scoped>
.join {
  min-height: 100dvh;
  background: var(--paper);
  color: var(--ink);
  display: grid;
  place-content: center;
  padding: 20px;
}
form {
  display: grid;
  gap: 14px;
  width: min(360px, 88vw);
}
label {
  font-size: 18px;
}
input {
  font-size: 40px;
  letter-spacing: 0.14em;
  text-transform: uppercase;
  text-align: center;
  padding: 8px;
  background: var(--card);
  color: var(--ink);
  border: 2px solid var(--soft);
  border-radius: 12px;
  width: 100%;
}
.go {
  min-height: 60px;
  font-size: 21px;
  justify-content: center;
}
</style>
