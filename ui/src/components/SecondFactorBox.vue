<script setup lang="ts">
import { ref } from "vue";
import { api, take } from "@/api/client";
import type { SecondFactorSetUp } from "@/api/types";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import FailureNote from "./FailureNote.vue";

/** One's own second factor: set up by scanning a code, with recovery codes for a lost phone. */
const emit = defineEmits<{ on: [] }>();
const { data: now, reload } = useLoad(() => take(api.GET("/api/session/second-factor")));
const password = ref("");
const code = ref("");
const shown = ref<SecondFactorSetUp | null>(null);
const codes = ref<string[]>([]);
const acting = useAction();

async function begin() {
  const made = await acting.run(() => take(api.POST("/api/session/second-factor", { body: { password: password.value } })));
  if (made) [shown.value, password.value] = [made, ""];
}
async function confirm() {
  const kept = await acting.run(() => take(api.PUT("/api/session/second-factor", { body: { code: code.value } })));
  if (!kept) return;
  [codes.value, shown.value, code.value] = [kept.codes, null, ""];
  reload();
}
async function renew() {
  const kept = await acting.run(() => take(api.POST("/api/session/second-factor/recovery", { body: { code: code.value } })));
  if (!kept) return;
  [codes.value, code.value] = [kept.codes, ""];
  reload();
}
async function off() {
  const done = await acting.run(async () => {
    await take(api.POST("/api/session/second-factor/off", { body: { password: password.value } }));
    return true;
  });
  if (!done) return;
  [password.value, codes.value] = ["", []];
  reload();
}
function noted() {
  codes.value = [];
  emit("on");
}
</script>

<template>
  <section v-if="now" class="second">
    <div v-if="codes.length" class="box" role="status">
      <h3>Write down your recovery codes</h3>
      <p>Each signs you in once without the phone. They are not shown again.</p>
      <ul class="codes num">
        <li v-for="c in codes" :key="c">{{ c }}</li>
      </ul>
      <ElButton type="primary" @click="noted">I wrote them down</ElButton>
    </div>
    <form v-else-if="shown" class="box" @submit.prevent="confirm">
      <h3>Scan this with your phone</h3>
      <p>Use any app for one-time codes. Then type the six digits that it shows.</p>
      <svg class="code" :viewBox="`0 0 ${shown.size} ${shown.size}`" role="img" aria-label="Code to scan" shape-rendering="crispEdges">
        <rect :width="shown.size" :height="shown.size" fill="#fff" />
        <path :d="shown.path" fill="#000" />
      </svg>
      <p class="soft">
        No camera? Type this secret into the app: <span class="num secret">{{ shown.secret.match(/.{1,4}/g)?.join(" ") }}</span>
      </p>
      <label class="field"
        ><span class="name">Six digits</span
        ><ElInput v-model="code" name="first-code" inputmode="numeric" autocomplete="one-time-code" class="digits"
      /></label>
      <FailureNote :failure="acting.failure.value" />
      <div class="actions">
        <ElButton type="primary" native-type="submit" :loading="acting.busy.value">Turn on</ElButton>
        <ElButton @click="shown = null">Cancel</ElButton>
      </div>
    </form>
    <template v-else-if="now.on">
      <p>Your second factor is on. {{ now.recovery_left }} recovery {{ now.recovery_left === 1 ? "code is" : "codes are" }} left.</p>
      <details>
        <summary>Make new recovery codes</summary>
        <form class="inner" @submit.prevent="renew">
          <label class="field"
            ><span class="name">A code of your phone</span
            ><ElInput v-model="code" name="renew-code" inputmode="numeric" autocomplete="one-time-code" class="digits" /><span class="hint"
              >The codes you have now stop working.</span
            ></label
          >
          <ElButton native-type="submit" :loading="acting.busy.value">Make new codes</ElButton>
        </form>
      </details>
      <details v-if="!now.required">
        <summary>Turn off the second factor</summary>
        <form class="inner" @submit.prevent="off">
          <label class="field"
            ><span class="name">Your password</span
            ><ElInput v-model="password" name="off-password" type="password" autocomplete="current-password"
          /></label>
          <ElButton native-type="submit" :loading="acting.busy.value">Turn off</ElButton>
        </form>
      </details>
      <FailureNote :failure="acting.failure.value" />
    </template>
    <template v-else>
      <p>A code from your phone is asked for beside your password. Whoever learns your password cannot sign in with it alone.</p>
      <details :open="now.required">
        <summary>Set up a second factor</summary>
        <form class="inner" @submit.prevent="begin">
          <label class="field"
            ><span class="name">Your password</span
            ><ElInput v-model="password" name="begin-password" type="password" autocomplete="current-password"
          /></label>
          <FailureNote :failure="acting.failure.value" />
          <ElButton native-type="submit" :loading="acting.busy.value">Show code to scan</ElButton>
        </form>
      </details>
    </template>
  </section>
</template>

<style scoped>
.code {
  display: block;
  width: min(260px, 100%);
  margin: 6px 0 14px;
}
.codes {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(130px, 1fr));
  gap: 6px 18px;
  list-style: none;
  padding: 0;
  font-size: 19px;
}
.secret {
  color: var(--ink);
  overflow-wrap: anywhere;
}
.digits {
  max-width: 180px;
}
.inner {
  max-width: 460px;
}
summary {
  cursor: pointer;
  color: var(--fjord);
  font-weight: 600;
  padding: 10px 0;
}
</style>
