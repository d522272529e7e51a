<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { computed, nextTick, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { GroupLine, LibraryLine, PersonLine } from "@/api/types";

const open = defineModel<boolean>({ required: true });
const router = useRouter();
const text = ref("");
const people = ref<PersonLine[]>([]);
const morePeople = ref(false);
const groups = ref<GroupLine[]>([]);
const tests = ref<LibraryLine[]>([]);
const chosen = ref(0);
/** What the list answers: a fast hand presses Enter before the answer is there. */
const answered = ref<string | null>(null);
const field = ref<HTMLInputElement>();

const lines = computed(() => [
  ...people.value.map((p) => ({
    to: `/people/${p.id}`,
    name: p.name,
    about: [p.age, p.occupation].filter(Boolean).join(" · "),
  })),
  ...groups.value.map((g) => ({ to: `/groups/${g.id}`, name: g.name, about: `group of ${g.members}` })),
  ...tests.value.map((t) => ({ to: `/tests/${t.id}`, name: t.name, about: "test" })),
]);

async function look() {
  const asked = text.value;
  const found = await take(api.GET("/api/search", { params: { query: { q: asked } } })).catch(() => null);
  if (!found || asked !== text.value) return;
  answered.value = asked;
  [people.value, morePeople.value, groups.value, tests.value, chosen.value] = [
    found.people,
    found.more_people,
    found.groups,
    found.tests,
    0,
  ];
}
const soon = useDebounceFn(look, 60);
watch(text, () => void soon());
watch(
  open,
  async (now) => {
    if (!now) return;
    text.value = "";
    await look();
    await nextTick();
    field.value?.focus();
  },
  { immediate: true },
);

function move(step: number) {
  chosen.value = Math.max(0, Math.min(lines.value.length - 1, chosen.value + step));
}
async function enter() {
  if (answered.value !== text.value) await look();
  go(lines.value[chosen.value]?.to);
}
function go(to?: string) {
  if (!to) return;
  open.value = false;
  void router.push(to);
}
</script>

<template>
  <ElDialog v-model="open" title="Find a person or a test" width="min(560px, 94vw)" top="12vh" @opened="field?.focus()">
    <input
      ref="field"
      v-model="text"
      class="find"
      type="search"
      aria-label="Name, test, or author of a test"
      placeholder="Name, test, or author of a test"
      autocomplete="off"
      @keydown.down.prevent="move(1)"
      @keydown.up.prevent="move(-1)"
      @keydown.enter.prevent="enter"
    />
    <ul class="rows" aria-label="Found">
      <li v-for="(line, k) in lines" :key="line.to">
        <a class="row-link" :class="{ chosen: k === chosen }" :href="line.to" @click.prevent="go(line.to)" @mouseenter="chosen = k">
          <strong>{{ line.name }}</strong><span class="soft">{{ line.about }}</span>
        </a>
      </li>
    </ul>
    <p v-if="morePeople" class="soft">More people are called like this: type on, or open People.</p>
    <p v-if="text && lines.length === 0" class="none">
      No client, group or test has that name. <a href="/people/new" @click.prevent="go('/people/new')">Add a client</a>.
    </p>
  </ElDialog>
</template>

<style scoped>
.find {
  width: 100%;
  font: inherit;
  font-size: 19px;
  padding: 10px 14px;
  border: 1px solid var(--el-border-color);
  border-radius: 8px;
  margin-bottom: 12px;
  background: var(--card);
  color: var(--ink);
}
.find::placeholder {
  color: var(--soft);
}
.rows {
  max-height: 46vh;
  overflow: auto;
}
.chosen {
  background: var(--fjord-wash);
}
.none {
  margin: 12px 0 0;
}
</style>
