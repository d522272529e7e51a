<script setup lang="ts">
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import SecondFactorBox from "@/components/SecondFactorBox.vue";
import { useSession } from "@/stores/session";

/** The practice asks every coach for a second factor: before it is set up nothing else opens. */
const session = useSession();
const router = useRouter();
async function onward() {
  session.info = await take(api.GET("/api/session"));
  await router.replace("/");
}
async function leave() {
  await session.signOut();
  await router.replace("/sign-in");
}
</script>

<template>
  <main class="front">
    <section class="sign">
      <h1>Set up your second factor</h1>
      <p>{{ session.info?.practice }} asks every coach for one. It takes a minute; then everything opens.</p>
      <SecondFactorBox @on="onward" />
      <p class="out"><button type="button" class="linklike" @click="leave">Sign out</button></p>
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
  width: min(460px, 100%);
}
.out {
  margin-top: 24px;
}
</style>
