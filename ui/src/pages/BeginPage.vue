<script setup lang="ts">
import { ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { isMonthFirst } from "@/logic/day";
import { useSession } from "@/stores/session";

const router = useRouter();
const session = useSession();
const { busy, failure, run } = useAction();
const { draft, clear } = useDraft("begin", {
  practice: "",
  coach: "",
  email: "",
  time_zone: Intl.DateTimeFormat().resolvedOptions().timeZone || "UTC",
});
const password = ref("");

async function begin() {
  const info = await run(() =>
    take(api.POST("/api/practices", { body: { ...draft.value, password: password.value, month_first: isMonthFirst() } })),
  );
  if (!info) return;
  clear();
  session.info = info;
  await router.push("/people/new");
}
</script>

<template>
  <main class="page narrow">
    <h1>Set up your practice</h1>
    <p class="lead">One minute, then your first client.</p>
    <form @submit.prevent="begin">
      <label class="field"><span class="name">Practice</span><ElInput v-model="draft.practice" name="practice" autofocus /></label>
      <label class="field"><span class="name">Your name</span><ElInput v-model="draft.coach" name="coach" autocomplete="name" /></label>
      <label class="field"
        ><span class="name">Email address</span><ElInput v-model="draft.email" name="email" type="email" autocomplete="username"
      /></label>
      <label class="field"
        ><span class="name">Password</span>
        <ElInput v-model="password" name="password" type="password" autocomplete="new-password" />
        <span class="hint">10 characters or more.</span></label
      >
      <label class="field"
        ><span class="name">Time zone</span><ElInput v-model="draft.time_zone" name="time_zone" /><span class="hint"
          >It decides which day it is for you.</span
        ></label
      >
      <FailureNote :failure="failure" />
      <div class="actions">
        <ElButton type="primary" size="large" native-type="submit" :loading="busy">Begin</ElButton>
        <RouterLink to="/sign-in">I have an account</RouterLink>
      </div>
    </form>
  </main>
</template>

<style scoped>
.narrow {
  max-width: 520px;
  margin: 0 auto;
}
form {
  margin-top: 20px;
}
</style>
