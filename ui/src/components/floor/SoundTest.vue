<script setup lang="ts">
import { onBeforeUnmount, ref } from "vue";
import type { Floor } from "@/floor/useFloor";
import { SoundCheck } from "@/floor/soundCheck";
import { speechWanted } from "@/floor/speech";

/** Before the start: can the far line hear it, and how late is the loudspeaker? Tapped along, and subtracted. */
const props = defineProps<{ floor: Floor }>();
const { soundDelay } = props.floor;
const check = new SoundCheck();
const playing = ref(false);
const late = ref<number | null>(null);
const silent = ref(false);
async function play() {
  [late.value, playing.value, silent.value] = [null, true, false];
  const heard = await check.play();
  [playing.value, silent.value] = [false, !heard];
  late.value = check.lateMs();
}
onBeforeUnmount(() => void check.close());
</script>

<template>
  <section class="sound">
    <button type="button" @click="play">{{ playing ? "Playing…" : "Sound test" }}</button>
    <button v-if="playing" type="button" class="main" @pointerdown="check.tap()" @keydown.space.prevent="check.tap()">Tap along</button>
    <p v-if="silent" class="soft" role="alert">This browser gives no sound. Tap the page once, then try again.</p>
    <p v-else-if="playing" class="soft">Eight beeps. Walk to the far line, or tap along with what you hear.</p>
    <p v-else-if="late !== null && late > 60" class="soft" role="status">
      You heard it {{ late }} ms late, as over a wireless loudspeaker.
      <button type="button" class="quiet" @click="[soundDelay, late] = [late, null]">Send it {{ late }} ms earlier</button>
    </p>
    <p v-else-if="late !== null" class="soft" role="status">The sound comes in time.</p>
    <p v-else class="soft">
      Nothing heard? The device is muted, or the loudspeaker is off.
      <template v-if="soundDelay">
        The sound is sent {{ soundDelay }} ms earlier.
        <button type="button" class="quiet" @click="soundDelay = 0">Send it without that</button>
      </template>
      <template v-if="!speechWanted"> Levels are called by voice where “speak” is on.</template>
    </p>
  </section>
</template>

<style scoped>
.sound {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 16px;
  align-items: center;
  padding: 10px 20px;
  border-bottom: 1px solid var(--line);
}
.sound p {
  margin: 0;
  max-width: 74ch;
}
</style>
