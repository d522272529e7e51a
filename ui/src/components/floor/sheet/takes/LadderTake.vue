<script setup lang="ts">
import { theSheet, type Keys } from "@/floor/useSheet";

/** Stages that are tried one after the other until one fails. */
const sheet = theSheet();
const { live, full, watched } = sheet;
const { ladder } = watched;
const press: Keys["press"] = (key, event) => {
  if (!live.value || full.value || event.repeat || (key !== " " && key !== "x")) return false;
  void watched.tryStage(key === " ");
  return true;
};
defineExpose<Keys>({ press });
</script>

<template>
  <template v-if="ladder && !full">
    <label v-if="watched.choices.value.length" class="begin"
      >Begin at
      <select v-model.number="watched.from.value" class="native" @change="($event.target as HTMLSelectElement).blur()">
        <option v-for="(words, k) in watched.choices.value" :key="words" :value="k + 1">{{ k + 1 }} {{ words }}</option>
      </select></label
    >
    <button type="button" class="big" :disabled="!live" @click="watched.tryStage(false)">{{ ladder.fails }} <kbd>X</kbd></button>
    <button type="button" class="big" :class="{ main: live }" :disabled="!live" @click="watched.tryStage(true)">
      {{ ladder.passes }} <kbd>Space</kbd>
    </button>
  </template>
</template>
