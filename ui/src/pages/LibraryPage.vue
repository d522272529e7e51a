<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import PictureBox from "@/components/PictureBox.vue";
import EquipmentChips from "@/components/EquipmentChips.vue";
import PageState from "@/components/PageState.vue";
import SectionChips from "@/components/SectionChips.vue";
import { useLoad } from "@/composables/useLoad";

/** Every test on one page, part by part; found by what is done, by plain words, or by its publication. */
const { data: tests, failure, loading, reload } = useLoad(() => take(api.GET("/api/protocols")));
const text = ref("");
const section = ref("");
const equipment = ref<string[] | null>(null);
const plain = (s: string) => s.normalize("NFKD").replace(/\p{M}/gu, "").toLowerCase();
const sections = computed(() => [...new Set(tests.value?.map((t) => t.section) ?? [])]);
const found = computed(
  () =>
    tests.value?.filter(
      (t) =>
        (!section.value || t.section === section.value) &&
        (equipment.value === null || t.needs.every((n) => equipment.value?.includes(n))) &&
        plain(text.value)
          .split(/\s+/)
          .every((w) => t.searched.includes(w)),
    ) ?? [],
);
const parts = computed(() => {
  const of = (name: string) => ({ name, tests: found.value.filter((t) => t.section === name) });
  return sections.value.map(of).filter((part) => part.tests.length);
});
</script>

<template>
  <PageState v-if="!tests" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <h1>Test library</h1>
      <span class="grow"></span>
      <RouterLink to="/batteries">Batteries</RouterLink>
      <RouterLink to="/classes/new">A class in pairs</RouterLink>
      <RouterLink to="/rehearsals/new">Rehearse a test</RouterLink>
    </div>
    <input
      v-model="text"
      class="native find"
      type="search"
      aria-label="Find a test"
      placeholder="What is done, what it needs, whom it suits; or author, year or title"
    />
    <SectionChips v-model="section" :sections="sections" />
    <EquipmentChips v-model="equipment" />
    <section v-for="part in parts" :key="part.name">
      <h2>{{ part.name }}</h2>
      <ul class="tests">
        <li v-for="t in part.tests" :key="t.id">
          <RouterLink :to="`/tests/${t.id}`">
            <PictureBox v-if="t.picture" :drawing="t.picture" small class="picture" />
            <span class="what"
              ><span class="head"
                ><b>{{ t.name }}</b
                ><small
                  >{{ t.minutes }} min<template v-if="t.based_on"> · own copy</template
                  ><template v-else-if="!t.live"> · entered afterwards</template></small
                ></span
              >
              <span class="soft">{{ t.summary }}</span></span
            >
          </RouterLink>
        </li>
      </ul>
    </section>
    <p v-if="!found.length">No test matches{{ text ? ` “${text}”` : "" }}{{ equipment ? " with what is at hand" : "" }}.</p>
  </div>
</template>

<style scoped>
.find {
  width: 100%;
}
h2 {
  margin: 22px 0 6px;
}
.tests {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 440px), 1fr));
  gap: 0 32px;
}
.tests li {
  border-top: 1px solid var(--line);
}
.tests a {
  display: grid;
  grid-template-columns: 92px 1fr;
  gap: 14px;
  align-items: center;
  padding: 10px 8px;
  color: var(--ink);
  text-decoration: none;
  line-height: 1.4;
  min-height: 76px;
}
.tests a:hover,
.tests a:focus-visible {
  background: var(--card);
}
.what {
  min-width: 0;
}
.head {
  display: flex;
  justify-content: space-between;
  align-items: baseline;
  gap: 12px;
}
.tests b {
  font-size: 18px;
}
.tests small {
  color: var(--soft);
  font-size: 15px;
  white-space: nowrap;
}
</style>
