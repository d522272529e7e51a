<script setup lang="ts">
import { LineChart, ScatterChart } from "echarts/charts";
import { GridComponent, MarkAreaComponent, MarkLineComponent, TooltipComponent } from "echarts/components";
import { use } from "echarts/core";
import { LabelLayout } from "echarts/features";
import { SVGRenderer } from "echarts/renderers";
import { computed } from "vue";
import VChart from "vue-echarts";
import { useRouter } from "vue-router";
import type { TrendPage } from "@/api/types";
import { dayShort } from "@/logic/dates";
import { lifeEventWords } from "@/logic/lifeEvent";

/** One measure over time with the band of the measurement error around the first comparable test. */
use([LabelLayout, LineChart, ScatterChart, GridComponent, MarkAreaComponent, MarkLineComponent, TooltipComponent, SVGRenderer]);
const props = defineProps<{
  trend: Pick<TrendPage, "label" | "unit" | "lower_is_better" | "points" | "typical_error" | "events" | "goals">;
}>();
const router = useRouter();

const MONTH_MS = 30 * 86_400_000;
const css = getComputedStyle(document.documentElement);
const token = (name: string) => css.getPropertyValue(name).trim();

const alike = computed(() => props.trend.points.filter((p) => p.value != null && p.unlike.length === 0));
const others = computed(() => props.trend.points.filter((p) => p.value != null && p.unlike.length > 0));
const option = computed(() => {
  const base = alike.value[0]?.value;
  const noise = props.trend.typical_error?.detectable;
  const values = props.trend.points.flatMap((p) => (p.value == null ? [] : [p.value]));
  const wanted = props.trend.goals.flatMap((g) => g.line.map((m) => m.value));
  const ranges = alike.value.flatMap((p) => (p.range ? [{ on: p.on, ...p.range }] : []));
  const edges = [
    ...values,
    ...wanted,
    ...ranges.flatMap((r) => [r.low, r.high]),
    ...(base != null && noise != null ? [base - noise, base + noise] : []),
  ];
  const room = Math.max(2, (Math.max(...edges) - Math.min(...edges)) * 0.12);
  // The axis ends on a line.
  const step = Math.max(...edges) - Math.min(...edges) > 20 ? 10 : 5;
  // With a single day the axis would span years.
  const days = new Set(props.trend.points.map((p) => Date.parse(p.on)));
  const seen = [...days, ...props.trend.events.map((h) => Date.parse(h.from_on))];
  const aroundOne = days.size === 1 ? { min: Math.min(...seen) - MONTH_MS, max: Math.max(...seen) + MONTH_MS } : {};
  const point = (p: TrendPage["points"][number]) => ({
    value: [p.on, p.value],
    result: p.result,
    shown: p.shown,
    why: p.unlike.map((u) => `${u.label}: ${u.then}`).join(", "),
  });
  return {
    animation: false,
    textStyle: { fontFamily: token("--text"), fontSize: 15, color: token("--soft") },
    grid: { left: 52, right: 24, top: 34, bottom: 34 },
    tooltip: {
      trigger: "item",
      formatter: (p: { data: { value: [string, number]; shown: string; why: string } }) =>
        `${dayShort(p.data.value[0])}<br><b>${p.data.shown} ${props.trend.unit}</b>${p.data.why ? `<br>${p.data.why}` : ""}`,
    },
    xAxis: {
      type: "time",
      boundaryGap: ["4%", "4%"],
      ...aroundOne,
      axisLine: { lineStyle: { color: token("--line") } },
      axisLabel: { color: token("--soft"), hideOverlap: true, fontSize: 14 },
      splitLine: { show: false },
    },
    yAxis: {
      type: "value",
      inverse: props.trend.lower_is_better,
      min: Math.floor((Math.min(...edges) - room) / step) * step,
      max: Math.ceil((Math.max(...edges) + room) / step) * step,
      name: props.trend.unit,
      nameTextStyle: { color: token("--soft"), align: "left", padding: [0, 0, 0, -40] },
      nameLocation: props.trend.lower_is_better ? "start" : "end",
      axisLabel: { color: token("--soft"), fontSize: 14 },
      splitLine: { lineStyle: { color: token("--line") } },
    },
    series: [
      {
        type: "line",
        data: alike.value.map(point),
        symbolSize: 13,
        symbol: "circle",
        lineStyle: { color: token("--fjord"), width: 3 },
        itemStyle: { color: token("--fjord") },
        labelLayout: { hideOverlap: true },
        label: {
          show: true,
          position: "top",
          formatter: (p: { data: { shown: string } }) => p.data.shown,
          fontSize: 15,
          backgroundColor: token("--paper"),
          padding: [1, 3],
          color: token("--ink"),
          fontFamily: token("--num"),
        },
        markArea:
          base != null && noise != null
            ? {
                silent: true,
                itemStyle: { color: token("--band"), opacity: 0.8 },
                data: [[{ yAxis: base - noise }, { yAxis: base + noise }]],
              }
            : undefined,
        // An event stands at its day.
        markLine: {
          silent: true,
          symbol: "none",
          z: 2,
          lineStyle: { color: token("--ochre"), type: "dashed", width: 1.5 },
          label: { color: token("--ochre"), fontSize: 14, position: "insideEndTop", formatter: (p: { name: string }) => p.name },
          data: [
            ...props.trend.events.map((h) => ({ xAxis: h.from_on, name: h.words ?? lifeEventWords[h.kind] })),
            // How far each estimate may be off: a bar through it.
            ...ranges.map((r) => [
              {
                coord: [r.on, r.low],
                symbol: "none",
                label: { show: false },
                lineStyle: { color: token("--fjord"), type: "solid" as const, width: 2, opacity: 0.4 },
              },
              { coord: [r.on, r.high], symbol: "none" },
            ]),
          ],
        },
        z: 3,
      },
      // A goal is a line from where it began over its milestones to its day.
      ...props.trend.goals.map((g) => ({
        type: "line" as const,
        data: g.line.map((m, k) => ({
          value: [m.on, m.value],
          shown: String(Math.round(m.value * 100) / 100),
          why: "goal",
          symbolSize: k ? 9 : 0,
        })),
        symbol: "emptyCircle",
        lineStyle: { color: token("--ink"), width: 1.6, type: "dashed" as const },
        itemStyle: { color: token("--ink") },
        z: 2,
      })),
      {
        type: "scatter",
        data: others.value.map(point),
        symbol: "diamond",
        symbolSize: 15,
        itemStyle: { color: token("--card"), borderColor: token("--ochre"), borderWidth: 2 },
        label: {
          show: true,
          position: "bottom",
          formatter: (p: { data: { shown: string } }) => `${p.data.shown} ≠`,
          fontSize: 14,
          color: token("--ochre"),
        },
        z: 4,
      },
    ],
  };
});
function open(event: unknown) {
  const result = (event as { data?: { result?: string } }).data?.result;
  if (result) void router.push(`/results/${result}`);
}
</script>

<template>
  <VChart
    class="chart"
    :option="option"
    autoresize
    role="img"
    :aria-label="`${trend.label} over time; the same numbers stand in the list below`"
    @click="open"
  />
</template>

<style scoped>
.chart {
  height: 380px;
}
</style>
