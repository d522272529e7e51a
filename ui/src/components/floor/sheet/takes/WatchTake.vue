<script setup lang="ts">
import { computed, useTemplateRef } from "vue";
import { theSheet, type Keys } from "@/floor/useSheet";
import { taken } from "@/logic/sheet";
import TypedInstead from "./TypedInstead.vue";

/** Timed by hand from a start to an end. */
const sheet = theSheet();
const { row, live, timing, full } = sheet;
const rules = computed(() => taken(row.value, "watch"));
const typed = useTemplateRef("typed");
const press: Keys["press"] = (key, event) => {
  if (live.value && key === " " && !event.repeat) {
    if (timing.value) void sheet.end();
    else if (!full.value) void sheet.begin();
  } else if (rules.value?.zero && key === "0" && !timing.value && live.value) void sheet.take(0);
  else return false;
  return true;
};
defineExpose<Keys>({ press, isTyping: () => typed.value?.isTyping() ?? false });
</script>

<template>
  <TypedInstead v-if="!timing && !sheet.countingIn.value" ref="typed" />
  <button v-if="rules?.zero && !timing" type="button" class="quiet" :disabled="!live" @click="sheet.take(0)">
    {{ rules.zero }} <kbd>0</kbd>
  </button>
  <button v-if="timing" type="button" class="big main" @click="sheet.end()">{{ rules?.ends }} <kbd>Space</kbd></button>
  <button v-else type="button" class="big" :class="{ main: !full }" :disabled="!live || full" @click="sheet.begin()">
    Start the stopwatch <kbd>Space</kbd>
  </button>
</template>
