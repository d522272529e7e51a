<script setup lang="ts">
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { Battery } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import TextField from "@/components/fields/TextField.vue";
import { useAction } from "@/composables/useAction";
import { useDraft } from "@/composables/useDraft";
import { useLoad } from "@/composables/useLoad";

/** A battery of the practice's own: which tests, in which order and variant, with which rests. */
const props = defineProps<{ id: string; from?: string }>();
const router = useRouter();
const own = (id: string) => `own-${id.replaceAll("-", "")}`;
const {
  data,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => ({
  batteries: await take(api.GET("/api/batteries")),
  tests: await take(api.GET("/api/protocols")),
}));
const { draft, clear } = useDraft(`battery.${props.id}`, {
  name: "",
  weeks: "",
  window: "",
  photos: false,
  tests: [] as Battery["tests"],
  filled: false,
});
const known = computed(() => data.value?.batteries.find((b) => b.battery.id === own(props.id)) ?? null);
watch(data, (d) => {
  if (!d || draft.value.filled) return;
  const source = known.value ?? d.batteries.find((b) => b.battery.id === props.from);
  if (source) {
    draft.value.name = known.value ? source.battery.name : `${source.battery.name}, ours`;
    draft.value.weeks = source.battery.again_weeks ? String(source.battery.again_weeks) : "";
    draft.value.window = source.battery.window_min ? String(source.battery.window_min) : "";
    draft.value.photos = source.battery.photos ?? false;
    draft.value.tests = structuredClone(source.battery.tests);
  }
  draft.value.filled = true;
});
const name = (protocol: string) => data.value?.tests.find((t) => t.id === protocol)?.name ?? protocol;
const adding = ref("");
function add() {
  if (adding.value) draft.value.tests.push({ protocol: adding.value, given: {}, optional: false, rest_min: 0 } as Battery["tests"][number]);
  adding.value = "";
}
function move(k: number, by: number) {
  const [test] = draft.value.tests.splice(k, 1);
  draft.value.tests.splice(k + by, 0, test!);
}
/** The variants of a test that a battery can fix, asked for when its place is opened. */
const variants = ref<Record<string, { key: string; label: string; choices: string[][]; words: boolean }[]>>({});
watch(
  () => draft.value.tests.map((t) => t.protocol).join(),
  async () => {
    for (const { protocol } of draft.value.tests) {
      if (variants.value[protocol]) continue;
      variants.value[protocol] = [];
      const page = await take(api.GET("/api/protocols/{id}", { params: { path: { id: protocol } } })).catch(() => null);
      free.value[protocol] = (page?.protocol.inputs ?? [])
        .filter((i) => !i.required && !i.inverse && !page?.protocol.conditions.some((c) => c.key === i.key && c.ask))
        .map((i) => ({ key: i.key, label: i.label, usual: !i.on_request }));
      variants.value[protocol] = (page?.protocol.conditions ?? [])
        .filter((c) => c.ask && (c.kind === "choice" || (c.kind === "text" && (c.required || c.key === "standard"))))
        .map((c) => ({ key: c.key, label: c.label, choices: (c.choices ?? []) as string[][], words: c.kind === "text" }));
    }
  },
  { immediate: true },
);
/** The readings that a test can do without, where there are many: a battery names those it takes. */
const free = ref<Record<string, { key: string; label: string; usual: boolean }[]>>({});
function takes(k: number, key: string) {
  const test = draft.value.tests[k]!;
  const all = free.value[test.protocol] ?? [];
  const now = test.takes?.length ? test.takes : all.filter((i) => i.usual).map((i) => i.key);
  const next = now.includes(key) ? now.filter((other) => other !== key) : [...now, key];
  test.takes = all.map((i) => i.key).filter((each) => next.includes(each));
}
const isTaken = (k: number, input: { key: string; usual: boolean }) =>
  draft.value.tests[k]!.takes?.length ? draft.value.tests[k]!.takes!.includes(input.key) : input.usual;
function vary(k: number, key: string, value: string) {
  const given = draft.value.tests[k]!.given as Record<string, unknown>;
  if (value) given[key] = value;
  else delete given[key];
}
const { busy, failure, run } = useAction();
async function keep() {
  const body = {
    id: "",
    name: draft.value.name,
    again_weeks: /^\d+$/.test(draft.value.weeks) ? Number(draft.value.weeks) : null,
    photos: draft.value.photos,
    window_min: draft.value.window.trim() ? Number(draft.value.window) : null,
    scoring: (known.value ?? data.value?.batteries.find((b) => b.battery.id === props.from))?.battery.scoring ?? null,
    tests: draft.value.tests,
  } as Battery;
  const kept = await run(() => take(api.PUT("/api/batteries/{id}", { params: { path: { id: props.id } }, body })));
  if (!kept) return;
  clear();
  await router.push("/batteries");
}
async function retire() {
  await run(() => take(api.DELETE("/api/batteries/{id}", { params: { path: { id: props.id } } })));
  if (failure.value) return;
  clear();
  await router.push("/batteries");
}
const wrong = (field: string) => (failure.value?.field === field ? failure.value.message : null);
</script>

<template>
  <PageState v-if="!data" :failure="lost" :loading="loading" @again="reload" />
  <form v-else class="page" @submit.prevent="keep">
    <h1>{{ known ? known.battery.name : "A battery of your own" }}</h1>
    <div class="about">
      <TextField label="Name" v-model="draft.name" name="name" maxlength="80" :wrong="wrong('name')" />
      <TextField label="Again after, weeks" v-model="draft.weeks" class="native num" name="weeks" inputmode="numeric" />
      <TextField
        label="In any order, within minutes"
        v-model="draft.window"
        class="native num"
        placeholder="empty: in this order"
        name="window"
        inputmode="numeric"
        :wrong="wrong('window_min')"
      />
      <label class="ticked"><input v-model="draft.photos" type="checkbox" /> With photographs</label>
    </div>
    <h2>The tests, in their order</h2>
    <p v-if="known?.better_order" class="box care">
      In the order {{ known.better_order.map((k) => known!.names[k]).join(" → ") }} they would disturb each other least.
    </p>
    <ol class="tests">
      <li v-for="(test, k) in draft.tests" :key="k">
        <b>{{ name(test.protocol) }}</b>
        <span class="set">
          <label v-for="v in variants[test.protocol] ?? []" :key="v.key"
            >{{ v.label }}
            <input
              v-if="v.words"
              class="native"
              maxlength="200"
              placeholder="asked each time"
              :value="(test.given as Record<string, string>)[v.key] ?? ''"
              @change="vary(k, v.key, ($event.target as HTMLInputElement).value.trim())"
            />
            <select
              v-else
              class="native"
              :value="(test.given as Record<string, string>)[v.key] ?? ''"
              @change="vary(k, v.key, ($event.target as HTMLSelectElement).value)"
            >
              <option value="">asked each time</option>
              <option v-for="[key, words] in v.choices" :key="key" :value="key">{{ words }}</option>
            </select></label
          >
          <details v-if="(free[test.protocol] ?? []).length > 4" class="takes">
            <summary>Readings to take</summary>
            <label v-for="i in free[test.protocol]" :key="i.key" class="ticked"
              ><input type="checkbox" :checked="isTaken(k, i)" @change="takes(k, i.key)" /> {{ i.label }}</label
            >
          </details>
          <label>Rest before it, min <input v-model.number="test.rest_min" class="native num rest" type="number" min="0" max="60" /></label>
          <label class="free"><input v-model="test.optional" type="checkbox" /> may be skipped</label>
        </span>
        <span class="keys">
          <button type="button" :disabled="k === 0" :aria-label="`${name(test.protocol)} earlier`" @click="move(k, -1)">↑</button>
          <button type="button" :disabled="k + 1 === draft.tests.length" :aria-label="`${name(test.protocol)} later`" @click="move(k, 1)">
            ↓
          </button>
          <button type="button" :aria-label="`Take out ${name(test.protocol)}`" @click="draft.tests.splice(k, 1)">Take out</button>
        </span>
      </li>
    </ol>
    <p v-if="wrong('tests')" class="wrong" role="alert">{{ wrong("tests") }}</p>
    <div class="add">
      <TextField label="Add a test"
        ><select v-model="adding" class="native" name="add" @change="add">
          <option value="" disabled>Choose one</option>
          <option v-for="t in data.tests" :key="t.id" :value="t.id">{{ t.section }}: {{ t.name }}</option>
        </select></TextField
      >
    </div>
    <FailureNote :failure="failure && !['name', 'tests', 'window_min'].includes(failure.field ?? '') ? failure : null" />
    <div class="actions">
      <ElButton type="primary" size="large" native-type="submit" :loading="busy">Save battery</ElButton>
      <ElButton v-if="known" size="large" :loading="busy" @click="retire">Remove from library</ElButton>
      <RouterLink v-if="known" :to="`/batteries/${known.battery.id}/points`">Points for its raw scores</RouterLink>
      <RouterLink to="/batteries">Cancel</RouterLink>
    </div>
  </form>
</template>

<style scoped>
.about {
  display: grid;
  grid-template-columns: minmax(0, 420px) 180px 260px;
  gap: 20px;
  margin: 14px 0 8px;
}
.tests {
  list-style: none;
  padding: 0;
  margin: 0 0 16px;
}
.tests li {
  display: grid;
  grid-template-columns: 220px minmax(0, 1fr) auto;
  gap: 8px 20px;
  align-items: start;
  border-top: 1px solid var(--line);
  padding: 12px 0;
}
.set {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 18px;
  font-size: 15px;
  color: var(--soft);
}
.set select {
  display: block;
  max-width: 260px;
  color: var(--ink);
}
.rest {
  display: block;
  width: 90px;
  color: var(--ink);
}
.free {
  display: flex;
  align-items: center;
  gap: 8px;
  align-self: end;
  min-height: 40px;
}
.keys {
  display: flex;
  gap: 6px;
}
.keys button {
  font: inherit;
  min-width: 44px;
  min-height: 44px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
.keys button:disabled {
  opacity: 0.4;
}
.add {
  max-width: 420px;
  margin-bottom: 18px;
}
@media (max-width: 800px) {
  .tests li,
  .about {
    grid-template-columns: minmax(0, 1fr);
  }
}
</style>
