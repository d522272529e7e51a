<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, reactive, ref } from "vue";
import { api, take } from "@/api/client";
import type { GroupMark, GroupStanding } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import TextField from "@/components/fields/TextField.vue";
import { useAction } from "@/composables/useAction";
import { expected, typed } from "@/logic/typed";

/** What a group is held to: the coach's own bounds, for everybody or for some. */
const props = defineProps<{ standing: GroupStanding }>();
const emit = defineEmits<{ changed: [] }>();
const open = ref(false);
const form = reactive({ id: uuid(), measure: "0", good: "", acceptable: "", playing_group: "", sex: "", from: "", to: "" });
const measures = computed(() => props.standing.measures.filter((m) => m.has_better));
const measure = computed(() => measures.value[Number(form.measure)]);
const { busy, failure, run } = useAction();
const local = ref<{ field: string; message: string } | null>(null);
const wrong = (field: string) => (local.value ?? failure.value)?.field === field && (local.value ?? failure.value)!.message;
function number(text: string, field: string, unit: string): number | null {
  if (!text.trim()) return null;
  const read = typed(text, unit);
  if (read === null) local.value = { field, message: expected(unit) };
  return read;
}
async function keep() {
  local.value = null;
  const of = measure.value;
  if (!of) return;
  const unit = of.unit === "min:s" ? "s" : of.unit;
  const good = number(form.good, "good", unit);
  if (!local.value && good === null) local.value = { field: "good", message: "Type the value from which it is good." };
  const body: GroupMark = {
    protocol: of.protocol,
    quantity: of.quantity,
    good: good ?? 0,
    acceptable: number(form.acceptable, "acceptable", unit),
    playing_group: form.playing_group || null,
    sex: (form.sex || null) as GroupMark["sex"],
    age_from: number(form.from, "age_from", ""),
    age_to: number(form.to, "age_to", ""),
  };
  if (local.value) return;
  const path = { id: props.standing.group, mark: form.id };
  const kept = await run(() => take(api.PUT("/api/groups/{id}/marks/{mark}", { params: { path }, body })));
  if (!kept) return;
  Object.assign(form, { id: uuid(), good: "", acceptable: "", playing_group: "", sex: "", from: "", to: "" });
  open.value = false;
  emit("changed");
}
async function remove(mark: string) {
  const path = { id: props.standing.group, mark };
  await run(() => take(api.DELETE("/api/groups/{id}/marks/{mark}", { params: { path } })));
  if (!failure.value) emit("changed");
}
</script>

<template>
  <div class="box">
    <h2>Targets</h2>
    <ul v-if="standing.marks.length" class="marks">
      <li v-for="m in standing.marks" :key="m.id">
        <b>{{ m.test }}</b> {{ m.bounds }} <span class="soft">{{ m.who }}</span>
        <button type="button" class="linklike no-print" :aria-label="`Remove the target of ${m.test}, ${m.who}`" @click="remove(m.id)">
          Remove
        </button>
      </li>
    </ul>
    <p v-else-if="!open" class="soft">None yet. A target is your own: one bound, or good and acceptable, for everybody or for some.</p>
    <form v-if="open" @submit.prevent="keep">
      <TextField label="Measure"
        ><select v-model="form.measure" class="native" name="measure">
          <option v-for="(m, k) in measures" :key="k" :value="String(k)">{{ m.test }}: {{ m.label }}</option>
        </select></TextField
      >
      <div class="pair">
        <TextField
          v-model="form.good"
          :label="`Good${measure?.unit ? ', ' + measure.unit : ''}`"
          name="good"
          class="native num"
          :wrong="wrong('good') || null"
        />
        <TextField v-model="form.acceptable" label="Acceptable" name="acceptable" class="native num" :wrong="wrong('acceptable') || null" />
      </div>
      <div class="pair">
        <TextField v-if="standing.playing_groups.length" label="Playing group"
          ><select v-model="form.playing_group" class="native" name="playing_group">
            <option value="">all</option>
            <option v-for="p in standing.playing_groups" :key="p" :value="p">{{ p }}</option>
          </select></TextField
        >
        <TextField label="Sex"
          ><select v-model="form.sex" class="native" name="sex">
            <option value="">both</option>
            <option value="female">women</option>
            <option value="male">men</option>
          </select></TextField
        >
      </div>
      <div class="pair">
        <TextField v-model="form.from" label="Age from" name="age_from" class="native num" :wrong="wrong('age_from') || null" />
        <TextField v-model="form.to" label="to" name="age_to" class="native num" :wrong="wrong('age_to') || null" />
      </div>
      <FailureNote :failure="failure && !['good', 'acceptable', 'age_to'].includes(failure.field ?? '') ? failure : null" />
      <div class="actions">
        <ElButton type="primary" native-type="submit" :loading="busy">Save target</ElButton>
        <ElButton @click="open = false">Cancel</ElButton>
      </div>
    </form>
    <ElButton v-else-if="measures.length" class="no-print" @click="open = true">Set a target</ElButton>
  </div>
</template>

<style scoped>
.marks {
  list-style: none;
  margin: 0 0 10px;
  padding: 0;
}
.marks li {
  padding: 4px 0;
}
.pair {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 10px;
}
</style>
