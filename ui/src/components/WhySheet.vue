<script setup lang="ts">
import type { QuantityReport, ResultPage } from "@/api/types";

/** Where a number comes from: the equation with the numbers in it, the source and its kind, how sure, under what conditions. */
defineProps<{ quantity: QuantityReport | null; page: ResultPage }>();
const open = defineModel<boolean>({ required: true });
const kind = (s: { kind: string; recalled?: boolean }) =>
  `${s.kind === "published" ? "published" : "common practice"}${s.recalled ? ", recalled" : ""}`;
</script>

<template>
  <ElDrawer v-model="open" size="min(520px, 100vw)" :title="quantity ? `Why ${quantity.label} ${quantity.shown}` : 'Why'">
    <template v-if="quantity">
      <template v-if="quantity.working">
        <h2>Equation</h2>
        <p class="num eq">{{ quantity.working.formula }}</p>
        <h2>With this client’s numbers</h2>
        <p class="num eq filled">{{ quantity.working.filled }}</p>
        <p class="soft">{{ quantity.working.symbols }}.</p>
      </template>
      <template v-if="quantity.range">
        <h2>How far it may be off</h2>
        <p>
          <b>{{ quantity.range.sentence }}.</b> For 95 of 100 people with this result, a laboratory would measure a value in this range. One
          standard deviation each:
        </p>
        <ul class="parts">
          <li v-for="p in quantity.range.parts" :key="p.words">
            <span>{{ p.words }}</span> <span class="num">{{ p.adds }}</span>
            <small class="soft">{{ p.source.kind === "published" ? `${p.source.citation} · ` : "" }}{{ kind(p.source) }}</small>
          </li>
        </ul>
        <p v-if="quantity.range.parts.length > 1" class="soft">
          Together: the root of the sum of their squares, times 1.96. Calculated from its parts, not measured in people.
        </p>
        <p>
          A change is another question: what is this person’s own, such as economy and maximum, is the same both times and cancels. For a
          change only the measurement error below counts.
        </p>
      </template>
      <h2>How sure</h2>
      <p v-if="quantity.resolution">The count itself: {{ quantity.resolution }}.</p>
      <p>
        Standard error of estimate:
        {{
          quantity.see != null
            ? `${quantity.see} ${quantity.unit}`
            : quantity.is_estimate
              ? "none known for this equation"
              : "not an estimate"
        }}.
      </p>
      <p v-if="quantity.typical_error">
        Measurement error: {{ quantity.typical_error.basis }}. A change beyond {{ quantity.typical_error.detectable.toFixed(1) }}
        {{ quantity.unit }} is clear.
      </p>
      <p v-else>Measurement error: not known. It is worked out from your own repeats once there are ten pairs.</p>
      <p v-if="quantity.typical_error?.source" class="cite">
        {{ quantity.typical_error.source.citation }}. <i>{{ kind(quantity.typical_error.source) }}</i>
      </p>
      <h2>Conditions</h2>
      <dl>
        <template v-for="c in page.report?.conditions ?? []" :key="c.label"
          ><dt>{{ c.label }}</dt>
          <dd>{{ c.value }}</dd></template
        >
        <dt>Method</dt>
        <dd>{{ quantity.method }}, {{ page.method }}</dd>
        <template v-if="page.facts.mass"
          ><dt>Body mass</dt>
          <dd>{{ page.facts.mass }}</dd></template
        >
        <dt>Age, sex</dt>
        <dd>{{ page.facts.age ?? "unknown" }}, {{ page.facts.sex ?? "not given" }}</dd>
      </dl>
      <template v-if="page.report?.flags.length">
        <h2>Flags</h2>
        <ul>
          <li v-for="f in page.report.flags" :key="f.message">{{ f.message }}</li>
        </ul>
      </template>
      <h2>Sources</h2>
      <p v-for="s in page.sources" :key="s.of" class="cite">
        <b>{{ s.of }}:</b> {{ s.citation }}. <i>{{ kind(s) }}</i>
      </p>
      <p v-for="n in quantity.norms" :key="n.table" class="cite">
        <b>table:</b> {{ n.source }}. <i>{{ n.status }}</i>
      </p>
    </template>
  </ElDrawer>
</template>

<style scoped>
.parts {
  list-style: none;
  margin: 0 0 8px;
  padding: 0;
}
.parts li {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto;
  gap: 0 14px;
  padding: 6px 0;
  border-top: 1px solid var(--line);
}
.parts small {
  grid-column: 1 / 3;
  font-size: 14px;
  line-height: 1.35;
}
h2 {
  margin: 18px 0 4px;
}
h2:first-child {
  margin-top: 0;
}
.eq {
  background: var(--band);
  border-radius: 8px;
  padding: 10px 14px;
  margin-bottom: 4px;
}
.filled {
  font-weight: 650;
}
.cite {
  font-size: 15px;
}
dl {
  display: grid;
  grid-template-columns: auto 1fr;
  gap: 2px 18px;
  margin: 0;
}
dt {
  color: var(--soft);
}
dd {
  margin: 0;
}
ul {
  padding-left: 20px;
  margin: 0;
}
</style>
