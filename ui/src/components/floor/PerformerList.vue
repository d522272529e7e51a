<script setup lang="ts">
import { nextTick, ref } from "vue";
import type { RunView } from "@/api/types";
import { rounded } from "@/composables/numbers";

/** Everyone on one clock: who has counted, who is missing; a tap on a name types the count. */
const props = defineProps<{
  performers: RunView["performers"];
  over: boolean;
  closed: boolean;
  /** A tap on a name says who is out. */
  picking?: boolean;
}>();
const emit = defineEmits<{ typed: [slot: number, count: number]; picked: [slot: number] }>();
const typing = ref<number | null>(null);
const text = ref("");
const wrong = ref<string | null>(null);

async function edit(slot: number) {
  if (props.picking) return emit("picked", slot);
  if (!props.over || props.closed) return;
  [typing.value, text.value, wrong.value] = [slot, "", null];
  await nextTick();
  document.querySelector<HTMLInputElement>(`#count-${slot}`)?.focus();
}
function enter(slot: number) {
  if (typing.value !== slot) return;
  const typed = text.value.trim().replace(",", ".");
  if (typed !== "" && Number.isNaN(Number(typed))) return void (wrong.value = "Type the number of beats.");
  typing.value = null;
  if (typed !== "") emit("typed", slot, Number(typed));
}
</script>

<template>
  <ul :class="{ over }">
    <li
      v-for="p in performers"
      :key="p.slot"
      :class="{ in: p.reading?.bpm != null, ask: p.decision?.code === 'recount_asked', late: over && p.reading?.bpm == null }"
    >
      <form v-if="typing === p.slot" @submit.prevent="enter(p.slot)">
        <label class="visually-hidden" :for="`count-${p.slot}`">Beats of {{ p.name }}</label>
        <input :id="`count-${p.slot}`" v-model="text" class="num" inputmode="decimal" maxlength="5" @blur="enter(p.slot)" />
      </form>
      <button
        v-else
        type="button"
        :disabled="!(over || picking) || p.out != null"
        :class="{ picking: picking && p.out == null }"
        @click="edit(p.slot)"
      >
        <span>{{ p.name }}</span>
        <b class="num">{{
          p.out != null ? `out: ${p.out}` : p.reading?.bpm != null ? `${rounded(p.reading.bpm, 0)} bpm` : over ? "missing" : "–"
        }}</b>
      </button>
    </li>
  </ul>
  <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
</template>

<style scoped>
ul {
  list-style: none;
  margin: 0;
  padding: 0;
  overflow: auto;
  max-height: calc(100dvh - 300px);
}
ul.over {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(250px, 1fr));
  gap: 0 28px;
}
li button {
  width: 100%;
  justify-content: space-between;
  border: 0;
  border-bottom: 1px solid var(--line);
  border-radius: 0;
  padding: 6px 4px;
  opacity: 1 !important;
  font-weight: 400;
}
li b {
  color: var(--soft);
  font-weight: 400;
  white-space: nowrap;
}
.over li button {
  min-height: 58px;
  font-size: 19px;
}
li.in b {
  color: var(--ink);
  font-weight: 650;
}
li.late b {
  color: var(--ember);
}
li.ask b {
  color: var(--ochre);
}
li input {
  width: 100%;
  font-size: 24px;
  min-height: 56px;
  background: var(--card);
  border: 2px solid var(--ember);
  border-radius: 8px;
  color: var(--ink);
  padding: 4px 12px;
}
</style>
