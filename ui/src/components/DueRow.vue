<script setup lang="ts">
import type { RetestLine } from "@/api/types";
import { dayName } from "@/logic/dates";

/** Who is due, for what, when; one action. */
defineProps<{ line: RetestLine; tone?: "late" | "now" | "soon" }>();
</script>

<template>
  <div class="row-link">
    <span class="mark" :class="tone" aria-hidden="true"></span>
    <span class="who"
      ><RouterLink :to="`/people/${line.person}`">{{ line.name }}</RouterLink
      ><small :title="line.tests.join(', ')"
        >{{ line.protocol_name }}<template v-if="line.tests.length">, {{ line.tests.length }} tests</template></small
      ></span
    >
    <span class="rule">{{ line.rule }}</span>
    <span class="when"
      ><b :class="tone">{{ line.spoken }}</b
      ><small>{{ dayName(line.due_on) }}</small></span
    >
    <RouterLink
      class="go"
      :to="line.tests.length ? `/people/${line.person}/visits/new?battery=${line.protocol}` : `/people/${line.person}/assess`"
      :aria-label="`Test ${line.name}`"
      >Test</RouterLink
    >
  </div>
</template>

<style scoped>
.mark {
  width: 10px;
  height: 26px;
  border-radius: 2px;
  background: var(--line);
  flex: none;
}
.mark.late {
  background: var(--ochre);
  clip-path: polygon(0 0, 100% 0, 100% 62%, 50% 100%, 0 62%);
}
.mark.now {
  background: var(--ember);
}
.who,
.when {
  display: flex;
  flex-direction: column;
  line-height: 1.3;
}
.who {
  flex: 1;
  min-width: 0;
}
.who a {
  font-weight: 650;
  color: var(--ink);
  text-decoration: none;
}
.who a:hover {
  text-decoration: underline;
}
.rule {
  color: var(--soft);
  width: 150px;
}
.when {
  width: 150px;
}
b.late {
  color: var(--ochre);
}
b.now {
  color: var(--ember);
}
small {
  color: var(--soft);
  font-size: 14px;
}
.go {
  border: 1px solid var(--fjord);
  border-radius: 8px;
  padding: 9px 16px;
  font-weight: 600;
  text-decoration: none;
}
.go:hover {
  background: var(--fjord-wash);
}
@media (max-width: 700px) {
  .rule {
    display: none;
  }
}
@media (max-width: 480px) {
  .when {
    width: 104px;
  }
  .row-link {
    gap: 10px;
    padding: 10px 0;
  }
}
</style>
