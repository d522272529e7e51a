<script setup lang="ts">
import { chosen, textOf } from "@/logic/file";

/** A text that is pasted, or read from a file into the same field, so that it can be seen before it is looked through. */
defineProps<{ label: string }>();
const text = defineModel<string>({ required: true });
async function opened(event: Event) {
  const file = chosen(event);
  if (file) text.value = await textOf(file);
}
</script>

<template>
  <label class="field"
    ><span class="name">{{ label }}</span
    ><textarea v-model="text" class="native paste" rows="10" name="text" spellcheck="false" autofocus></textarea
    ><span class="hint"><slot /></span
  ></label>
  <label class="field"
    ><span class="name">Or a CSV file</span><input type="file" accept=".csv,.txt,text/csv,text/plain" @change="opened"
  /></label>
</template>

<style scoped>
.paste {
  width: 100%;
  max-width: 900px;
  font-family: var(--num);
  font-size: 15px;
  padding: 10px 12px;
}
</style>
