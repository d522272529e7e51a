<script setup lang="ts">
import { nextTick, ref, watch } from "vue";
import type { RunView } from "@/api/types";
import { rounded } from "@/composables/numbers";

/** Everyone on one clock: who has counted, who is missing; a tap on a name types the count. */
const props = defineProps<{
  performers: RunView["performers"];
  over: boolean;
  closed: boolean;
  /** A tap on a name says who is out. */
  picking?: boolean;
  /** A count that could not be taken: it stands in its field again, with the reason under it. */
  refused?: { slot: number; count: number; message: string } | null;
}>();
const emit = defineEmits<{ typed: [slot: number, count: number]; picked: [slot: number] }>();
const typing = ref<number | null>(null);
const text = ref("");
/** What was typed and is no count, by slot, and why. */
const wrong = ref<Record<number, { typed: string; words: string }>>({});

async function open(slot: number) {
  [typing.value, text.value] = [slot, wrong.value[slot]?.typed ?? ""];
  await nextTick();
  const field = document.querySelector<HTMLInputElement>(`#count-${slot}`);
  field?.focus();
  field?.select();
}
function edit(slot: number) {
  if (props.picking) return emit("picked", slot);
  if (props.over && !props.closed) void open(slot);
}
/** `goOn`: the next one who is missing is up. */
function enter(slot: number, goOn: boolean) {
  if (typing.value !== slot) return;
  const typed = text.value.trim();
  const count = Number(typed.replace(",", "."));
  if (typed && Number.isNaN(count)) return void (wrong.value = { ...wrong.value, [slot]: { typed, words: "Type the number of beats." } });
  typing.value = null;
  if (typed) {
    const { [slot]: _, ...others } = wrong.value;
    wrong.value = others;
    emit("typed", slot, count);
  }
  const next = goOn && typed ? props.performers.find((p) => p.slot > slot && p.out == null && p.reading?.bpm == null) : null;
  if (next) void open(next.slot);
}
watch(
  () => props.refused,
  (refused) => {
    if (!refused) return;
    const { slot, count, message } = refused;
    wrong.value = { ...wrong.value, [slot]: { typed: String(count), words: message } };
    // Whoever is typing the next one already goes on with it.
    if (typing.value === null || !text.value) void open(slot);
  },
);
</script>

<template>
  <ul :class="{ over }">
    <li
      v-for="p in performers"
      :key="p.slot"
      :class="{ in: p.reading?.bpm != null, ask: p.decision?.code === 'recount_asked', late: over && p.reading?.bpm == null }"
    >
      <form v-if="typing === p.slot" @submit.prevent="enter(p.slot, true)">
        <label :for="`count-${p.slot}`">Beats of {{ p.name }}</label>
        <input :id="`count-${p.slot}`" v-model="text" class="num" inputmode="decimal" maxlength="5" @blur="enter(p.slot, false)" />
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
      <p v-if="wrong[p.slot]" class="wrong" role="alert">{{ wrong[p.slot]!.words }}</p>
    </li>
  </ul>
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
li span {
  text-align: left;
}
li label {
  font-size: 15px;
  color: var(--soft);
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
