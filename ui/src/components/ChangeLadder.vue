<script setup lang="ts">
import type { Rung, Verdict } from "@/api/types";

/** Each measure from first to now on one axis, whose unit is the smallest change the test can detect. Better is right. */
const props = defineProps<{ rungs: Rung[]; person: string }>();

const REACH = 2.4;
const x = (steps: number) => 200 + Math.max(-REACH, Math.min(REACH, steps)) * 78;
const tone = (v: Verdict) => (v.startsWith("clear") ? "clear" : v.startsWith("possible") ? "possible" : "quiet");
const beyond = (steps: number) => Math.abs(steps) > REACH;
const to = (r: Rung) => `/people/${props.person}/trend/${r.protocol}/${r.change.quantity}${r.like ? `?like=${r.like}` : ""}`;
</script>

<template>
  <div class="ladder" role="table" aria-label="First test to now">
    <RouterLink v-for="r in rungs" :key="r.protocol + r.change.quantity + r.like" class="rung" role="row" :to="to(r)">
      <span class="name" role="cell"
        >{{ r.title }}<small>{{ [r.detail, r.unit].filter(Boolean).join(", ") }}</small></span
      >
      <span class="draw" role="cell">
        <svg
          v-if="r.change.steps != null && r.change.verdict !== 'not_comparable'"
          viewBox="0 0 400 53"
          :class="tone(r.change.verdict)"
          aria-hidden="true"
        >
          <rect class="noise" :x="x(-1)" y="8" :width="x(1) - x(-1)" height="37" />
          <path class="zero" :d="`M${x(0)} 4v45`" />
          <path class="line" :d="`M${x(0)} 26.5H${x(r.change.steps)}`" />
          <circle class="first" :cx="x(0)" cy="26.5" r="5" />
          <path v-if="!beyond(r.change.steps)" class="now" :d="`M${x(r.change.steps) - 6} 14.5h12v24h-12z`" />
          <path v-else class="now" :d="r.change.steps > 0 ? `M${x(REACH)} 12l14 14.5-14 14.5z` : `M${x(-REACH)} 12l-14 14.5 14 14.5z`" />
        </svg>
        <span v-else-if="r.change.verdict === 'not_comparable'" class="soft why"
          >{{ r.change.unlike.map((u) => u.label.toLowerCase()).join(", ") }} differed</span
        >
      </span>
      <span class="values num" role="cell">{{ r.first_shown }} → {{ r.now_shown }}</span>
      <span class="verdict" :class="tone(r.change.verdict)" role="cell">{{ r.change.verdict_words }}</span>
    </RouterLink>
  </div>
</template>

<style scoped>
.rung {
  display: grid;
  grid-template-columns: 176px minmax(120px, 1fr) 132px 118px;
  align-items: center;
  min-height: 54px;
  border-top: 1px solid var(--line);
  color: inherit;
  text-decoration: none;
}
.rung:last-child {
  border-bottom: 1px solid var(--line);
}
.rung:hover {
  background: var(--fjord-wash);
}
.name {
  line-height: 1.25;
}
.name small {
  display: block;
  color: var(--soft);
  font-size: 14px;
}
svg {
  width: 100%;
  height: 53px;
  display: block;
}
.noise {
  fill: var(--band);
}
.zero {
  stroke: #b9b4a4;
}
.line {
  stroke-width: 3;
}
.clear .line {
  stroke-width: 6;
}
.first {
  fill: var(--card);
  stroke-width: 2;
}
.clear .line,
.clear .first {
  stroke: var(--fjord);
}
.clear .now {
  fill: var(--fjord);
}
.possible .line,
.possible .first {
  stroke: var(--ink);
}
.possible .now {
  fill: var(--ink);
}
.quiet .line,
.quiet .first {
  stroke: #8a9697;
}
.quiet .now {
  fill: #8a9697;
}
.values {
  text-align: right;
  font-weight: 600;
}
.verdict {
  padding-left: 16px;
  color: var(--soft);
}
.verdict.clear {
  color: var(--fjord);
  font-weight: 700;
}
.verdict.possible {
  color: var(--ink);
}
.why {
  font-size: 15px;
  padding: 0 10px;
  display: block;
  text-align: center;
}
@media (max-width: 700px) {
  .rung {
    grid-template-columns: 1fr auto;
    padding: 8px 0;
  }
  .draw {
    grid-column: 1 / 3;
    grid-row: 2;
  }
  .verdict {
    grid-column: 1 / 3;
    padding: 0;
  }
}
</style>
