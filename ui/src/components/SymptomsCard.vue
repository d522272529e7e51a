<script setup lang="ts">
/** Somebody has pain or symptoms: stop, stay, call for help, no more testing today. */
const clock = new Intl.DateTimeFormat("en-GB", { hour: "2-digit", minute: "2-digit" }).format(new Date());
</script>

<template>
  <div class="card" role="alert">
    <h2>Stop and refer</h2>
    <ol>
      <li>Sit the client down. Stay with them.</li>
      <li>Chest discomfort, fainting, confusion, or no better within minutes: call the local emergency number now.</li>
      <li>
        Note the time, <b class="num">{{ clock }}</b>, and what the client reports.
      </li>
      <li>Do not test again today. The client sees a doctor first; follow the local first-aid rules.</li>
    </ol>
  </div>
</template>

<style scoped>
.card {
  border: 2px solid var(--madder);
  background: var(--madder-wash);
  border-radius: 10px;
  padding: 12px 18px;
  margin-bottom: 14px;
}
.card h2 {
  color: var(--ink);
  font-size: 20px;
}
ol {
  margin: 0;
  padding-left: 22px;
}
</style>
