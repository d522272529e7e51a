<script setup lang="ts">
import { useTemplateRef } from "vue";
import { theSheet } from "@/floor/useSheet";

/** The one field of the sheet. What stands in it is typed over, and what was said of it before is not said of what is typed now. */
defineProps<{ words?: boolean }>();
const text = defineModel<string>({ required: true });
const field = useTemplateRef("field");
const { wrong } = theSheet();
defineExpose({ focus: () => field.value?.focus(), blur: () => field.value?.blur(), select: () => field.value?.select() });
</script>

<template>
  <input
    id="sheet-entry"
    ref="field"
    v-model="text"
    class="num"
    :class="{ words }"
    autocomplete="off"
    inputmode="text"
    @focus="field?.select()"
    @input="wrong = null"
  />
</template>
