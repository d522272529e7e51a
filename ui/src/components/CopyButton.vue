<script setup lang="ts">
import { ref, watch } from "vue";

/** Puts a text on the clipboard, and says so until the text is another. */
const props = defineProps<{ text: string; words?: string }>();
const copied = ref(false);
watch(
  () => props.text,
  () => (copied.value = false),
);
async function copy() {
  await navigator.clipboard?.writeText(props.text).catch(() => undefined);
  copied.value = true;
}
</script>

<template>
  <ElButton @click="copy">{{ copied ? "Copied" : (words ?? "Copy") }}</ElButton>
</template>
