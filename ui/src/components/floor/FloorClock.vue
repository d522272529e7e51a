<script setup lang="ts">
/** The large figures, what is being done, and the line under it; a call takes the line's place for a moment. */
defineProps<{ figures: string; hot?: boolean; heading: string; cue: string; call: string | null; small?: boolean }>();
</script>

<template>
  <div class="clock" :class="{ small }">
    <span class="t num" :class="{ hot, long: figures.length > 2, longer: figures.length > 4 }" role="timer">{{ figures }}</span>
    <div>
      <h1>{{ heading }}</h1>
      <p class="cue" :class="{ call }" aria-live="assertive">{{ call ?? cue }}</p>
    </div>
  </div>
</template>

<style scoped>
.clock {
  display: flex;
  align-items: center;
  gap: 30px;
}
.t {
  font-weight: 600;
  font-size: clamp(96px, 13vw, 168px);
  line-height: 1;
  letter-spacing: -0.05em;
  min-width: 2.1ch;
  white-space: nowrap;
}
.t.long {
  min-width: 3.7ch;
}
.t.longer {
  font-size: clamp(84px, 10vw, 128px);
}
.small .t {
  font-size: clamp(72px, 8.6vw, 110px);
}
.t.hot {
  color: var(--ember);
}
h1 {
  font-size: clamp(26px, 3vw, 38px);
}
.small h1 {
  font-size: clamp(22px, 2.3vw, 30px);
}
.cue {
  color: var(--soft);
  font-size: 19px;
  margin: 8px 0 0;
  min-height: 2.9em;
}
.cue.call {
  font-weight: 700;
  color: var(--ember);
}
@media (max-width: 900px) {
  .clock {
    gap: 16px;
  }
  .t,
  .t.longer,
  .small .t {
    font-size: 76px;
  }
  .t.longer,
  .small .t.longer {
    font-size: 58px;
  }
  .cue {
    font-size: 16px;
    min-height: 5.8em;
    margin-top: 2px;
  }
  .small .cue {
    min-height: 2.9em;
  }
}
</style>
