<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { computed, reactive, ref } from "vue";
import { api, take } from "@/api/client";
import type { PersonPage } from "@/api/types";
import GoalLines from "@/components/GoalLines.vue";
import FailureNote from "@/components/FailureNote.vue";
import TextField from "@/components/fields/TextField.vue";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";
import { expected, typed } from "@/logic/typed";

/** Where the client wants to be: measure, target, day, and the way there in words; whether the line is on the way. */
const props = defineProps<{ person: string; goals: PersonPage["goals"]; aims: PersonPage["aims"] }>();
const emit = defineEmits<{ changed: [] }>();
const open = ref(false);
const form = reactive({ id: uuid(), aim: "", to: "", by: "", process: "", milestones: [] as { on: string; value: string }[] });
const aim = computed(() => props.aims.find((a) => `${a.protocol}/${a.quantity}` === form.aim));
const { busy, failure, run } = useAction();
const local = ref<string | null>(null);
const wrong = (field: string) => (failure.value?.field === field ? failure.value.message : null);
async function agree() {
  if (!aim.value) return;
  const to = typed(form.to, aim.value.unit);
  local.value = to === null ? expected(aim.value.unit) : null;
  if (to === null) return;
  const milestones = form.milestones
    .filter((m) => m.on || m.value.trim())
    .map((m) => ({ on: m.on, value: typed(m.value, aim.value!.unit) }));
  if (milestones.some((m) => !m.on)) local.value = "Choose the day by which to reach the milestone.";
  else local.value = milestones.some((m) => m.value === null) ? expected(aim.value.unit) : null;
  if (local.value) return;
  const body = {
    id: form.id,
    milestones: milestones as { on: string; value: number }[],
    protocol: aim.value.protocol,
    quantity: aim.value.quantity,
    to,
    by: form.by,
    process: form.process,
  };
  const kept = await run(async () => {
    await take(api.POST("/api/people/{id}/goals", { params: { path: { id: props.person } }, body }));
    return true;
  });
  if (!kept) return;
  Object.assign(form, { id: uuid(), aim: "", to: "", by: "", process: "", milestones: [] });
  open.value = false;
  emit("changed");
}
async function drop(id: string) {
  await run(() => take(api.DELETE("/api/goals/{id}", { params: { path: { id } } })));
  if (!failure.value) emit("changed");
}
</script>

<template>
  <div class="box">
    <h2>Goals</h2>
    <GoalLines v-if="goals.length" v-slot="{ goal }" :goals="goals">
      <button type="button" class="drop" :aria-label="`Drop it: ${goal.wanted}`" @click="drop(goal.id)">Drop it</button>
    </GoalLines>
    <p v-else-if="!open" class="soft">No goals yet. A goal is a number, a day, and what is done to reach it.</p>
    <form v-if="open" @submit.prevent="agree">
      <TextField label="Measure"
        ><select v-model="form.aim" class="native" name="aim" required>
          <option value="" disabled>Choose one</option>
          <option v-for="a in aims" :key="a.label" :value="`${a.protocol}/${a.quantity}`">{{ a.label }}, now {{ a.now }}</option>
        </select></TextField
      >
      <p v-if="wrong('quantity')" class="wrong" role="alert">{{ wrong("quantity") }}</p>
      <TextField
        :label="`To${aim?.unit ? ', ' + aim.unit : ''}`"
        v-model="form.to"
        class="native num"
        name="to"
        inputmode="decimal"
        required
        :wrong="local ?? wrong('to')"
      />
      <DateField label="By" v-model="form.by" name="by" required :wrong="wrong('by')" />
      <div v-for="(m, k) in form.milestones" :key="k" class="milestone">
        <TextField :label="`Milestone ${k + 1}`" v-model="m.value" class="native num" :name="`milestone_${k + 1}`" inputmode="decimal" />
        <DateField label="on" v-model="m.on" :name="`milestone_on_${k + 1}`" />
      </div>
      <p v-if="wrong('milestones')" class="wrong" role="alert">{{ wrong("milestones") }}</p>
      <button v-if="form.milestones.length < 6" type="button" class="linklike" @click="form.milestones.push({ on: '', value: '' })">
        Add a milestone
      </button>
      <TextField label="What is done for it" v-model="form.process" name="process" maxlength="300" placeholder="stretch 3 × 10 daily" />
      <FailureNote :failure="failure && !['quantity', 'to', 'by', 'milestones'].includes(failure.field ?? '') ? failure : null" />
      <div class="actions">
        <ElButton type="primary" native-type="submit" :loading="busy">Save goal</ElButton>
        <ElButton @click="open = false">Cancel</ElButton>
      </div>
    </form>
    <ElButton v-else-if="aims.length" @click="open = true">Set a goal</ElButton>
  </div>
</template>

<style scoped>
.milestone {
  display: grid;
  grid-template-columns: 1fr 1.3fr;
  gap: 10px;
}
.drop {
  font: inherit;
  font-size: 15px;
  color: var(--fjord);
  text-decoration: underline;
  border: 0;
  background: none;
  padding: 0;
  min-height: 32px;
  cursor: pointer;
}
</style>
