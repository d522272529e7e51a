<script setup lang="ts">
import { computed, shallowRef } from "vue";
import { api, take } from "@/api/client";
import type { SelfPage } from "@/api/types";
import PageState from "@/components/PageState.vue";
import SelfTest from "@/components/SelfTest.vue";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";
import { dayYear } from "@/logic/dates";
import { standing } from "@/logic/selfEntry";

/** Tests that a client takes away from the coach: one after the other, with picture and standard, typed and sent. */
const props = defineProps<{ token: string }>();
const path = { token: props.token };
const loaded = useLoad(() => take(api.GET("/api/self/{token}", { params: { path } })));
const { failure, loading, reload } = loaded;
const fresh = shallowRef<SelfPage | null>(null);
/** What was answered last: to a look, or to something sent. */
const p = computed(() => fresh.value ?? (loaded.data.value as SelfPage | null));
/** What is next to be done. */
const first = computed(() => p.value?.tests.find((t) => t.open && !t.sent)?.place);
async function look() {
  fresh.value = null;
  await reload();
}
const { draft } = useDraft(`self.${props.token}`, { well: false });
const open = computed(() => p.value?.tests.some((t) => t.open) ?? false);
</script>

<template>
  <main id="main" class="self">
    <PageState v-if="!p" :failure="failure" :loading="loading" @again="reload" />
    <template v-else>
      <h1>{{ p.battery_name }}</h1>
      <p class="soft">{{ p.name }} · {{ p.practice }} · this page opens until {{ dayYear(p.expires_at.slice(0, 10)) }}</p>
      <p class="lead" role="status">{{ standing(p) }}</p>
      <section v-if="open" class="before">
        <div>
          <h2>Before you begin</h2>
          <ul>
            <li>Chest pain, dizziness, unusual breathlessness or a new pain: do not start, or stop at once, and see a doctor.</li>
            <li v-for="c in p.cautions" :key="c">{{ c }}</li>
          </ul>
          <label class="well"><input v-model="draft.well" type="checkbox" /> I have read this, and I feel well today.</label>
        </div>
        <div v-if="p.equipment.length">
          <h2>What you need</h2>
          <ul>
            <li v-for="e in p.equipment" :key="e">{{ e }}</li>
          </ul>
        </div>
      </section>
      <p v-if="open && !draft.well" class="soft">Tick the box to go on to the tests.</p>
      <p v-else-if="open" class="soft">Where a text says “the client”, it means you. Type every try, not only your best one.</p>
      <template v-if="draft.well || !open">
        <SelfTest
          v-for="t in p.tests"
          :key="t.place"
          :token="token"
          :page="p"
          :test="t"
          :well="draft.well"
          :first="t.place === first"
          @sent="(page) => (fresh = page)"
          @elsewhere="look"
        />
      </template>
      <p class="soft foot">
        What you send is looked at by your coach and marked as self-reported. These are measurements, not a medical finding: pain or doubt
        goes to a doctor.
      </p>
    </template>
  </main>
</template>

<style scoped>
.self {
  max-width: 860px;
  margin: 0 auto;
  padding: 28px 20px 48px;
}
h1 {
  margin-bottom: 4px;
}
h2 {
  margin: 0 0 4px;
}
.before {
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(min(100%, 300px), 1fr));
  gap: 16px 44px;
  margin-bottom: 14px;
}
ul {
  padding-left: 20px;
  margin: 0;
}
.well {
  display: flex;
  gap: 10px;
  align-items: flex-start;
  min-height: 44px;
  margin-top: 12px;
  font-weight: 600;
}
.well input {
  flex: none;
  width: 22px;
  height: 22px;
  margin: 1px 0 0;
}
.foot {
  margin-top: 28px;
  font-size: 15px;
}
</style>
