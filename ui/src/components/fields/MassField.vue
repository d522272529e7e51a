<script setup lang="ts">
/** The body mass that a test rests on: as recorded, with its age; asked for again where that is old. */
defineProps<{ shown: string; asks: boolean; wrong: string | null; units: "metric" | "imperial" }>();
const mass = defineModel<string>("mass", { required: true });
const keep = defineModel<boolean>("keep", { required: true });
</script>

<template>
  <div class="condition field">
    <span id="c-mass" class="name">Body mass</span>
    <p class="recorded">{{ shown }}</p>
    <template v-if="asks">
      <div class="again">
        <ElInput
          v-model="mass"
          name="mass"
          class="number"
          :disabled="keep"
          aria-labelledby="c-mass"
          :placeholder="units === 'imperial' ? '176 lb' : '80 kg'"
        />
        <ElCheckbox v-model="keep" name="keep_mass">Use the recorded value</ElCheckbox>
      </div>
      <span class="hint">The result depends on the body mass. Weigh the client again, or use the recorded value.</span>
    </template>
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
  </div>
</template>

<style scoped>
.recorded {
  margin: 0 0 6px;
}
.again {
  display: flex;
  align-items: center;
  gap: 16px;
  flex-wrap: wrap;
}
.number {
  width: 140px;
}
</style>
