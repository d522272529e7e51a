<script setup lang="ts">
const open = defineModel<boolean>({ required: true });
const keys: [string[], string][] = [
  [["/"], "find a person or a test"],
  [["n"], "new client"],
  [["v"], "on a client’s page: the visit"],
  [["g", "t"], "Today"],
  [["g", "p"], "People"],
  [["g", "o"], "Groups"],
  [["g", "r"], "Retests"],
  [["g", "l"], "Test library"],
  [["g", "c"], "Practice"],
  [["?"], "these keys"],
];
const floor: [string[], string][] = [
  [["Space"], "start the clock"],
  [["T"], "tap the pulse"],
  [["M"], "type the rate, or count beats"],
  [["L"], "one lap, one lift, the finish"],
  [["0–9", "Enter"], "type the number and keep it"],
  [["K"], "keep a questioned reading"],
  [["U"], "undo"],
  [["C"], "off the beat, and back on it"],
  [["Esc", "Esc"], "stop"],
];
</script>

<template>
  <ElDialog v-model="open" title="Keys" width="min(560px, 94vw)">
    <div class="two">
      <div>
        <h2>Everywhere</h2>
        <p v-for="[press, does] in keys" :key="does">
          <kbd v-for="k in press" :key="k">{{ k }}</kbd> {{ does }}
        </p>
      </div>
      <div>
        <h2>During a test</h2>
        <p v-for="[press, does] in floor" :key="does">
          <kbd v-for="k in press" :key="k">{{ k }}</kbd> {{ does }}
        </p>
      </div>
    </div>
  </ElDialog>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: 1fr 1fr;
  gap: 24px;
}
kbd {
  margin-right: 5px;
}
@media (max-width: 560px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
