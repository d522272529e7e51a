<script setup lang="ts">
import { ref } from "vue";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";

/** A new password, set by a link that works once. */
const props = defineProps<{ token: string }>();
const path = { token: props.token };
const { data: of, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/password/{token}", { params: { path } })));
const password = ref("");
const isSet = ref(false);
const { busy, failure, run } = useAction();
async function set() {
  const done = await run(async () => {
    await take(api.POST("/api/password/{token}", { params: { path }, body: { password: password.value } }));
    return true;
  });
  if (done) isSet.value = true;
}
</script>

<template>
  <PageState v-if="!of" :failure="lost" :loading="loading" @again="reload" />
  <main v-else class="front">
    <section class="sign">
      <h1>New password</h1>
      <template v-if="isSet">
        <p role="status">Your new password is set.</p>
        <p><RouterLink to="/sign-in">Sign in</RouterLink></p>
      </template>
      <form v-else @submit.prevent="set">
        <p>For {{ of.name }}, {{ of.practice }}.</p>
        <label class="field"
          ><span class="name">Email address</span><ElInput :model-value="of.email" name="email" autocomplete="username" readonly
        /></label>
        <label class="field"
          ><span class="name">New password</span
          ><ElInput v-model="password" name="password" type="password" autocomplete="new-password" autofocus /><span class="hint"
            >10 characters or more.</span
          ></label
        >
        <FailureNote :failure="failure" />
        <ElButton type="primary" size="large" native-type="submit" :loading="busy">Set password</ElButton>
      </form>
    </section>
  </main>
</template>

<style scoped>
.front {
  min-height: 100vh;
  display: grid;
  place-items: center;
  padding: 32px;
}
.sign {
  width: min(380px, 100%);
}
h1 {
  margin-bottom: 20px;
}
</style>
