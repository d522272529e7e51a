<script setup lang="ts">
import type { Board, Tile } from "@/api/types";
import { minutes } from "@/logic/dates";

/** A tile for each of many on one clock: number, name, what is to be said of them, what they have. */
export interface One {
  slot: number;
  name: string;
  number: number;
  tile: Tile;
}
const props = defineProps<{
  tiles: One[];
  kind: Board["kind"];
  open: boolean;
  /** The next tap means something else than usual. */
  picking: boolean;
  chosen: number | null;
  /** When the work began, ms of the run's clock. */
  workStart: number;
}>();
const emit = defineEmits<{ tap: [one: One] }>();
const nth = (n: number) => `${n}${{ 1: "st", 2: "nd", 3: "rd" }[n % 100 > 10 && n % 100 < 14 ? 0 : n % 10] ?? "th"}`;
const saidOf = ({ tile }: One) => {
  if (tile.stand === "out" || tile.note) return tile.note;
  if (tile.stand === "done" && tile.better) return "better than last time";
  return null;
};
const before = ({ tile }: One) => (tile.last ? `last ${tile.last}` : "first time");
/** What somebody has; in a lane, of how many; else what they had last time. */
const valueOf = (one: One) => {
  const { tile } = one;
  if (props.kind !== "lanes" || !tile.of) return tile.shown ?? before(one);
  return [tile.shown, `${tile.done} of ${tile.of}`].filter(Boolean).join(" · ");
};
/** How long somebody goes already, where they set off later than the others. */
const own = ({ tile }: One) =>
  tile.stand === "going" && tile.since_ms > props.workStart ? `set off at ${minutes(tile.since_ms - props.workStart)}` : null;
</script>

<template>
  <ul class="tiles" :class="{ many: tiles.length > 15, picking, counting: kind === 'count' || kind === 'beat' }">
    <li v-for="(one, lane) in tiles" :key="one.slot">
      <button
        type="button"
        class="tile"
        :class="[one.tile.stand, { up: one.slot === chosen, care: one.tile.stand === 'going' && one.tile.note && kind === 'beat' }]"
        :disabled="!open"
        @click="emit('tap', one)"
      >
        <span class="who"
          ><b class="num">{{ one.number }}</b> {{ one.name }}</span
        >
        <kbd v-if="kind === 'lanes'" class="lane" :aria-label="`lane ${lane + 1}`">{{ lane + 1 }}</kbd>
        <span class="note">{{ saidOf(one) ?? own(one) ?? (kind === "lanes" && !one.tile.done ? before(one) : "") }}</span>
        <span class="value num" :class="{ before: !one.tile.shown && kind !== 'lanes' }"
          >{{ valueOf(one) }}<template v-if="one.tile.place"> · {{ nth(one.tile.place) }}</template></span
        >
      </button>
    </li>
  </ul>
</template>

<style scoped>
.tiles {
  list-style: none;
  margin: 0;
  padding: 0;
  flex: 1;
  display: grid;
  gap: 10px;
  grid-template-columns: repeat(auto-fill, minmax(186px, 1fr));
}
.tiles.many {
  gap: 8px;
  grid-template-columns: repeat(auto-fill, minmax(116px, 1fr));
}
.floor button.tile {
  width: 100%;
  min-height: 104px;
  padding: 10px 14px;
  display: grid;
  grid-template-rows: auto 1fr auto;
  justify-items: start;
  gap: 2px;
  text-align: left;
  background: var(--card);
  border-color: var(--line);
  opacity: 1;
  font-weight: 400;
}
.many button.tile {
  min-height: 82px;
  padding: 6px 10px;
}
.who {
  font-weight: 600;
  font-size: 18px;
  overflow: hidden;
  text-overflow: ellipsis;
  max-width: 100%;
}
/* The key of a lane stands apart from the number its runner wears. */
.floor button.tile:has(.lane) {
  position: relative;
  padding-right: 40px;
}
.lane {
  position: absolute;
  top: 10px;
  right: 10px;
}
.many .who {
  font-size: 15px;
  white-space: nowrap;
}
.note {
  font-size: 15px;
  color: var(--soft);
}
.value {
  font-size: 17px;
}
.many .value {
  font-size: 15px;
}
.counting .value {
  font-size: 26px;
}
.tile .value.before {
  font-size: 15px;
}
.below:not(:empty) {
  padding: 0 24px 12px;
}
.floor button.tile.going .value,
.floor button.tile.waiting .value {
  color: var(--soft);
}
.floor button.tile.done {
  border-color: var(--fjord);
}
.floor button.tile.done .value {
  font-weight: 600;
}
.floor button.tile.out {
  border-style: dashed;
  color: var(--soft);
  background: none;
}
.floor button.tile.care {
  border-color: var(--ochre);
}
.floor button.tile.care .note {
  color: var(--ochre);
  font-weight: 600;
}
.floor button.tile.up {
  outline: 2px solid var(--ember);
}
.picking .tile:not(.out) {
  border-style: dotted;
}
@media (max-width: 1100px) {
  .tiles {
    grid-template-columns: repeat(auto-fill, minmax(150px, 1fr));
  }
  .floor button.tile {
    min-height: 88px;
  }
}
@media (max-width: 900px) {
  .tiles,
  .tiles.many {
    width: 100%;
    grid-template-columns: repeat(auto-fill, minmax(108px, 1fr));
  }
}
</style>
