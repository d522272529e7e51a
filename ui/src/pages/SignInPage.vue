<script setup lang="ts">
import { ref } from "vue";
import { useRoute, useRouter } from "vue-router";
import { api, take } from "@/api/client";
import SignInForm from "@/components/SignInForm.vue";
import { useLoad } from "@/composables/useLoad";

const route = useRoute();
const router = useRouter();
const { data: welcome } = useLoad(() => take(api.GET("/api/welcome")));
const form = ref<InstanceType<typeof SignInForm>>();

function onward() {
  const to = typeof route.query.to === "string" && route.query.to.startsWith("/") ? route.query.to : "/";
  void router.replace(to);
}
</script>

<template>
  <main class="front">
    <section class="sign">
      <p class="brand"><i aria-hidden="true"></i>Impulso</p>
      <h1>Sign in</h1>
      <SignInForm ref="form" @done="onward" />
      <p class="new">New here? <RouterLink to="/begin">Set up your practice</RouterLink></p>
    </section>
    <aside v-if="welcome?.demo" class="box demo">
      <h2>The demo practice is loaded</h2>
      <p>Tidewater Hall, with made-up clients and four years of made-up results.</p>
      <dl>
        <dt>Email</dt>
        <dd class="num">{{ welcome.demo.email }}</dd>
        <dt>Password</dt>
        <dd class="num">{{ welcome.demo.password }}</dd>
      </dl>
      <ElButton @click="form?.fill(welcome.demo.email, welcome.demo.password)">Fill it in</ElButton>
    </aside>
  </main>
</template>

<style scoped>
.front {
  min-height: 100vh;
  display: flex;
  align-items: center;
  justify-content: center;
  gap: 64px;
  padding: 32px;
  flex-wrap: wrap;
}
.sign {
  width: min(380px, 100%);
}
.brand {
  font-size: 27px;
  font-weight: 750;
  margin-bottom: 26px;
}
.brand i {
  display: inline-block;
  width: 11px;
  height: 22px;
  background: var(--ember);
  margin-right: 11px;
  transform: skewX(-18deg);
}
h1 {
  margin-bottom: 20px;
}
.new {
  margin-top: 20px;
}
.demo {
  width: min(380px, 100%);
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 4px 16px;
  margin: 0 0 14px;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
</style>
