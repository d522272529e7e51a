<script setup lang="ts">
import { ref } from "vue";
import { useAction } from "@/composables/useAction";
import { useSession } from "@/stores/session";
import FailureNote from "./FailureNote.vue";

const props = defineProps<{ email?: string; password?: string }>();
const emit = defineEmits<{ done: [] }>();
const session = useSession();
const email = ref(props.email ?? "");
const password = ref(props.password ?? "");
const { busy, failure, run } = useAction();

async function submit() {
  const ok = await run(async () => {
    await session.signIn(email.value, password.value);
    return true;
  });
  if (ok) emit("done");
}
defineExpose({
  fill(e: string, p: string) {
    [email.value, password.value] = [e, p];
  },
});
</script>

<template>
  <form @submit.prevent="submit">
    <label class="field"
      ><span class="name">Email address</span><ElInput v-model="email" name="email" type="email" autocomplete="username" autofocus
    /></label>
    <label class="field"
      ><span class="name">Password</span><ElInput v-model="password" name="password" type="password" autocomplete="current-password"
    /></label>
    <FailureNote :failure="failure" />
    <ElButton type="primary" size="large" native-type="submit" :loading="busy">Sign in</ElButton>
  </form>
</template>
