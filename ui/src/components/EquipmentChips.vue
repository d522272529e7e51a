<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import { useLoad } from "@/composables/useLoad";

/** What is at hand: everything, nothing, or what is named. Nothing chosen yet is everything. */
const chosen = defineModel<string[] | null>({ required: true });
const { data: equipment } = useLoad(() => take(api.GET("/api/equipment")));
const open = ref(false);
const has = (key: string) => chosen.value === null || chosen.value.includes(key);
const said = computed(() => {
  if (chosen.value === null || !equipment.value) return "everything";
  const names = equipment.value.filter((k) => has(k.key)).map((k) => k.words);
  return names.length ? names.join(", ") : "nothing but a floor and a wall";
});
function toggle(key: string) {
  const all = equipment.value?.map((k) => k.key) ?? [];
  const now = chosen.value ?? all;
  const next = now.includes(key) ? now.filter((k) => k !== key) : [...now, key];
  chosen.value = next.length === all.length ? null : next;
}
</script>

<template>
  <div class="at-hand">
    <button type="button" class="head" :aria-expanded="open" @click="open = !open">
      <span class="soft">At hand:</span> <b>{{ said }}</b> <span class="change">{{ open ? "close" : "change" }}</span>
    </button>
    <div v-if="open" class="chips" role="group" aria-label="What is at hand">
      <button type="button" @click="chosen = []">nothing</button>
      <button type="button" @click="chosen = null">everything</button>
      <button
        v-for="k in equipment ?? []"
        :key="k.key"
        type="button"
        :class="{ on: has(k.key) }"
        :aria-pressed="has(k.key)"
        @click="toggle(k.key)"
      >
        {{ k.name }}
      </button>
    </div>
  </div>
</template>

<style scoped>
.at-hand {
  margin: 0 0 12px;
}
.head {
  border: 0;
  background: none;
  padding: 6px 0;
  min-height: 40px;
  font: inherit;
  color: var(--ink);
  text-align: left;
  cursor: pointer;
}
.change {
  color: var(--fjord);
  text-decoration: underline;
  margin-left: 8px;
}
</style>
