<script setup lang="ts">
import { onMounted, watch } from "vue";
import { theSheet } from "@/floor/useSheet";
import { useEntry } from "@/floor/useEntry";
import SheetInput from "../SheetInput.vue";

/** What is counted or timed with a key can be typed too. `now`: it is what comes next, so that digits go into it at once. */
const props = defineProps<{ now?: boolean }>();
const sheet = theSheet();
const entry = useEntry(sheet);
const { text, field } = entry;
async function enter() {
  if (!text.value.trim()) return;
  const value = entry.number();
  if (value === null) return;
  text.value = "";
  field.value?.blur();
  await sheet.take(value);
}
const focusNow = () => props.now && entry.focus();
onMounted(focusNow);
watch(() => props.now, focusNow);
defineExpose({ isTyping: () => text.value.trim() !== "", focus: entry.focus });
</script>

<template>
  <form class="entry" :class="{ due: now }" @submit.prevent="enter">
    <label for="sheet-entry">{{ now ? "Type the count" : "or type it" }}</label>
    <SheetInput ref="field" v-model="text" />
  </form>
</template>

<style scoped>
.entry :deep(input) {
  width: 7ch;
  font-size: 22px;
}
</style>
