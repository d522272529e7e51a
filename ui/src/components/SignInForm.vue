<script setup lang="ts">
import { nextTick, ref } from "vue";
import { asFailure } from "@/api/client";
import { useAction } from "@/composables/useAction";
import { useSession } from "@/stores/session";
import FailureNote from "./FailureNote.vue";

const props = defineProps<{ email?: string; password?: string }>();
const emit = defineEmits<{ done: [] }>();
const session = useSession();
const email = ref(props.email ?? "");
const password = ref(props.password ?? "");
/** The second factor, asked for once the password was right. */
const code = ref("");
const asked = ref(false);
const codeField = ref<{ focus: () => void }>();
const { busy, failure, run } = useAction();

async function submit() {
  const ok = await run(async () => {
    try {
      await session.signIn(email.value, password.value, asked.value ? code.value : undefined);
      return true;
    } catch (error) {
      if (asFailure(error).code !== "second_factor_needed" || asked.value) throw error;
      asked.value = true;
      return false;
    }
  });
  if (ok) emit("done");
  else if (asked.value) {
    await nextTick();
    codeField.value?.focus();
  }
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
    <label v-if="asked" class="field"
      ><span class="name">Code</span
      ><ElInput ref="codeField" v-model="code" name="code" inputmode="text" autocomplete="one-time-code" /><span class="hint"
        >The six digits that your phone shows, or one of your recovery codes.</span
      ></label
    >
    <FailureNote :failure="failure" />
    <ElButton type="primary" size="large" native-type="submit" :loading="busy">Sign in</ElButton>
  </form>
</template>
