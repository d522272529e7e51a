<script setup lang="ts">
import type { Comparison } from "@/api/types";
import { dayShort } from "@/logic/dates";

/** One change with its verdict, in the client's words; where nothing is compared, exactly why. */
defineProps<{ change: Comparison; since: string }>();
const sign: Record<string, string> = {
  clear_gain: "▲",
  possible_gain: "△",
  clear_loss: "▼",
  possible_loss: "▽",
  clear_change: "◆",
  possible_change: "◇",
  within_noise: "=",
  not_comparable: "≠",
  no_verdict: "?",
};
const rests: Record<string, string> = {
  repeats: "From your own repeats.",
  typed: "From the figure you typed in.",
  publication: "From a publication.",
  common_practice: "From common practice, not from a publication.",
  readings: "Calculated from the reading error; not measured in people.",
};
</script>

<template>
  <div class="change" :class="change.verdict">
    <span class="sign" aria-hidden="true">{{ sign[change.verdict] }}</span>
    <div>
      <p class="head">
        <b>{{ change.verdict_words }}</b> <span class="soft">since {{ since }}, {{ dayShort(change.from_on) }}</span>
      </p>
      <p>{{ change.sentence }}</p>
      <p v-if="change.typical_error && !change.unlike.length" class="soft rests">
        {{ rests[change.typical_error.rests_on] }} A change beyond {{ Number(change.typical_error.detectable.toPrecision(3)) }}
        {{ change.unit }} is clear<template v-if="change.typical_error.important"
          >; one of {{ change.typical_error.important.value }} {{ change.unit }} matters to people</template
        >.
      </p>
      <ul v-if="change.unlike.length">
        <li v-for="u in change.unlike" :key="u.key">
          <b>{{ u.label }}: {{ u.then }}, now {{ u.now }}.</b> Matters because {{ u.why }}.
        </li>
      </ul>
    </div>
  </div>
</template>

<style scoped>
.change {
  display: flex;
  gap: 14px;
  padding: 12px 0;
  border-top: 1px solid var(--line);
}
.sign {
  font-size: 22px;
  line-height: 1.2;
  width: 26px;
  text-align: center;
  color: var(--soft);
}
.clear_gain .sign,
.clear_gain .head b {
  color: var(--fjord);
}
.clear_loss .sign,
.clear_loss .head b,
.not_comparable .sign {
  color: var(--ochre);
}
.rests {
  font-size: 15px;
  margin-top: 2px;
}
.head {
  margin: 0 0 2px;
}
.head b {
  display: inline-block;
}
.head b::first-letter {
  text-transform: uppercase;
}
p {
  margin: 0;
}
ul {
  margin: 6px 0 0;
  padding-left: 20px;
}
</style>
