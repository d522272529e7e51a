<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, asFailure, take, type Failure } from "@/api/client";
import type { PersonLine } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import { dayShort } from "@/logic/dates";

const router = useRouter();
const text = ref("");
const people = ref<PersonLine[]>([]);
const next = ref<string | null>(null);
const total = ref<number | null>(null);
const failure = ref<Failure | null>(null);

/** What the list answers: a fast hand presses Enter before the answer is there. */
let answered: string | null = null;

async function look(cursor?: string) {
  const asked = text.value;
  try {
    const page = await take(api.GET("/api/people", { params: { query: { q: asked, cursor } } }));
    if (asked !== text.value) return;
    answered = asked;
    people.value = cursor ? [...people.value, ...page.people] : page.people;
    [next.value, total.value, failure.value] = [page.next ?? null, page.total, null];
  } catch (error) {
    failure.value = asFailure(error);
  }
}
const soon = useDebounceFn(() => look(), 60);
watch(text, () => void soon());
void look();

async function first() {
  if (answered !== text.value) await look();
  const one = people.value[0];
  if (one) void router.push(`/people/${one.id}`);
}
</script>

<template>
  <div class="page">
    <div class="page-head">
      <h1>People</h1>
      <span v-if="total !== null" class="soft">{{ total }} in this practice</span>
      <span class="grow"></span>
      <a v-if="total" href="/api/people.csv">Export CSV</a>
      <RouterLink to="/people/list">Add a list</RouterLink>
      <RouterLink class="add" to="/people/new">New client <kbd>n</kbd></RouterLink>
    </div>
    <ElInput
      v-model="text"
      size="large"
      type="search"
      aria-label="Name"
      placeholder="Any part of the name; Enter opens the first"
      autofocus
      @keydown.enter="first"
    />
    <FailureNote :failure="failure" />
    <ul class="rows list">
      <li v-for="p in people" :key="p.id">
        <RouterLink class="row-link" :to="`/people/${p.id}`">
          <span class="who"
            ><b>{{ p.name }}</b
            ><small>{{ [p.made_up && "made-up", p.age, p.occupation].filter(Boolean).join(" · ") }}</small></span
          >
          <span class="cell"
            ><template v-if="p.last_on"
              >{{ p.last_test }}<small>{{ dayShort(p.last_on) }}</small></template
            ><template v-else><span class="soft">no test yet</span></template></span
          >
          <span class="cell"
            ><template v-if="p.next_due"
              >{{ p.next_due_words }}<small>{{ dayShort(p.next_due) }}</small></template
            ><template v-else><span class="soft">no retest planned</span></template></span
          >
        </RouterLink>
      </li>
    </ul>
    <p v-if="total !== null && people.length === 0 && !failure">
      {{ text ? `Nobody is called “${text}”.` : "Nobody here yet." }} <RouterLink to="/people/new">Add a client</RouterLink>.
    </p>
    <ElButton v-if="next" @click="look(next)">Show more</ElButton>
  </div>
</template>

<style scoped>
.list {
  margin: 18px 0;
}
.who {
  flex: 1.3;
}
.cell {
  flex: 1;
}
.who,
.cell {
  display: flex;
  flex-direction: column;
  line-height: 1.35;
  min-width: 0;
}
small {
  color: var(--soft);
  font-size: 14px;
}
.add {
  border: 1px solid var(--fjord);
  border-radius: 8px;
  padding: 10px 16px;
  font-weight: 600;
  text-decoration: none;
}
@media (max-width: 560px) {
  .cell:nth-child(2) {
    display: none;
  }
}
</style>
