<script setup lang="ts">
import { computed, useTemplateRef } from "vue";
import { theSheet, type Keys } from "@/floor/useSheet";
import { bout, rowName, taken } from "@/logic/sheet";
import TypedInstead from "./TypedInstead.vue";

/** Counted with a key, against the clock where the work has a length. */
const sheet = theSheet();
const { row, live, halfOne, waits, justRung, boutOver, nought, styles, beside } = sheet;
const rules = computed(() => taken(row.value, "count"));
const typed = useTemplateRef("typed");
/** Beats that were missed in a row, where some end the count. */
const missed = computed(() => sheet.sheet.value.beats ?? null);
/** What the set is followed by, where it had too many repetitions to tell anything. */
const heavier = computed(() => (row.value.again ? (rules.value?.heavier ?? null) : null));

const press: Keys["press"] = (key, event) => {
  const nth = Number(key) - 1;
  if (boutOver.value && /^\d$/.test(key)) return (typed.value?.focus(), false);
  if (waits.value && key === " ") void (live.value && !justRung.value && !event.repeat && sheet.begin());
  else if (live.value && key === " ") void (boutOver.value || sheet.tally(1));
  else if (live.value && !boutOver.value && beside.value[nth]) void sheet.tallyBeside(beside.value[nth].input);
  else if (missed.value && live.value && key === "m") void sheet.missBeat();
  else if (key === "x" || key === "backspace") void sheet.tally(-1);
  else if (styles.value.length > 1 && styles.value[nth]) sheet.choose(sheet.sheet.value.rows.indexOf(styles.value[nth]));
  else return false;
  return true;
};
defineExpose<Keys>({ press, isTyping: () => typed.value?.isTyping() ?? false, focus: () => boutOver.value && typed.value?.focus() });
</script>

<template>
  <template v-if="!nought">
    <TypedInstead v-if="!waits && !sheet.timing.value && !sheet.countingIn.value" ref="typed" :now="boutOver" />
    <template v-if="styles.length > 1">
      <button
        v-for="(s, k) in styles"
        :key="`${s.input}${s.side ?? ''}`"
        type="button"
        :class="{ next: s === row }"
        @click="sheet.choose(sheet.sheet.value.rows.indexOf(s))"
      >
        {{ rowName(s) }} <kbd>{{ k + 1 }}</kbd>
      </button>
    </template>
    <button v-if="!waits" type="button" class="quiet" @click="sheet.tally(-1)">{{ rules?.strike }} <kbd>X</kbd></button>
    <button v-if="missed" type="button" :disabled="!live" @click="sheet.missBeat()">
      {{ missed.missed ? `Missed the beat, ${missed.missed} of ${missed.most}` : "Missed the beat" }} <kbd>M</kbd>
    </button>
    <button v-if="heavier" type="button" class="main" @click="sheet.chooseInput(heavier.load)">Set done: heavier load</button>
    <button
      v-for="(b, k) in waits || boutOver ? [] : beside"
      :key="b.input"
      type="button"
      :disabled="!live"
      @click="sheet.tallyBeside(b.input)"
    >
      {{ b.label }} <kbd>{{ k + 1 }}</kbd>
    </button>
    <button v-if="waits" type="button" class="big" :class="{ main: live }" :disabled="!live || justRung" @click="sheet.begin()">
      Start {{ bout(row) }} seconds <kbd>Space</kbd>
    </button>
    <button v-else-if="!boutOver" type="button" class="big" :class="{ main: live && !halfOne }" :disabled="!live" @click="sheet.tally(1)">
      {{ halfOne ? "The half one counts" : "One more" }} <kbd>Space</kbd>
    </button>
  </template>
</template>
