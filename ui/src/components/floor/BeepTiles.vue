<script setup lang="ts">
import type { Tile } from "@/api/types";

/** Everybody who runs to the beeps, in the order of their numbers: a tap is a miss, a second's hold is leaving. */
export interface Runner {
  slot: number;
  name: string;
  number: number;
  tile: Tile;
  /** One more miss takes this one out. */
  missed: boolean;
  /** Further than last time already. */
  past: boolean;
  mine: boolean;
}
const props = defineProps<{ runners: Runner[]; open: boolean; picking: boolean; found: Runner[]; ms: number }>();
const emit = defineEmits<{ tap: [one: Runner, atMs: number]; hold: [one: Runner, atMs: number] }>();

const HOLD_MS = 1000;
let pressed: { one: Runner; atMs: number; timer: number } | null = null;
function down(one: Runner, event: PointerEvent) {
  if (!props.open || event.button > 0) return;
  const atMs = props.ms;
  const held = () => {
    pressed = null;
    emit("hold", one, atMs);
  };
  pressed = { one, atMs, timer: window.setTimeout(held, HOLD_MS) };
}
function letGo(counts: boolean) {
  if (!pressed) return;
  const { one, atMs, timer } = pressed;
  window.clearTimeout(timer);
  pressed = null;
  if (counts) emit("tap", one, atMs);
}
/** By the keyboard: no pointer went down before it. */
const keyed = (one: Runner, event: MouseEvent) => event.detail === 0 && emit("tap", one, props.ms);

/** `Caspian R.` where there is little room. */
const short = (name: string) => {
  const [first, ...rest] = name.split(" ");
  return rest.length ? `${first} ${rest.at(-1)!.charAt(0)}.` : name;
};
const says = ({ tile, missed, past }: Runner) => {
  if (tile.stand === "done" || tile.stand === "out") return tile.note;
  if (missed) return "missed one";
  return tile.note ?? (past ? "past last time" : null);
};
</script>

<template>
  <ul class="tiles" :class="{ many: runners.length > 15, picking }">
    <li v-for="one in runners" :key="one.slot">
      <button
        type="button"
        class="tile"
        :class="[
          one.tile.stand,
          { missed: one.missed && one.tile.stand === 'going', past: one.past, up: found.includes(one), others: !one.mine },
        ]"
        :disabled="!open"
        :title="one.name"
        @pointerdown="down(one, $event)"
        @pointerup="letGo(true)"
        @pointerleave="letGo(false)"
        @pointercancel="letGo(false)"
        @contextmenu.prevent
        @click="keyed(one, $event)"
      >
        <b class="num">{{ one.number }}</b>
        <span class="who">{{ runners.length > 15 ? short(one.name) : one.name }}</span>
        <span class="says">{{ says(one) }}</span>
        <span class="score num">{{
          one.tile.stand === "done" ? one.tile.shown : one.tile.last && runners.length <= 15 ? `last ${one.tile.last}` : ""
        }}</span>
      </button>
    </li>
  </ul>
</template>

<style scoped>
.tiles {
  list-style: none;
  margin: 0;
  padding: 10px 14px;
  flex: 1;
  display: grid;
  gap: 10px;
  align-content: start;
  grid-template-columns: repeat(auto-fill, minmax(184px, 1fr));
}
.tiles.many {
  gap: 7px;
  grid-template-columns: repeat(8, minmax(0, 1fr));
}
.floor button.tile {
  width: 100%;
  height: 100%;
  min-height: 98px;
  padding: 8px 12px;
  display: grid;
  grid-template-columns: auto minmax(0, 1fr);
  grid-template-rows: auto auto 1fr;
  gap: 0 10px;
  align-items: start;
  justify-items: start;
  text-align: left;
  font-weight: 400;
  background: var(--card);
  border-color: var(--line);
  opacity: 1;
  touch-action: manipulation;
  user-select: none;
  -webkit-touch-callout: none;
}
.many button.tile {
  min-height: 84px;
  padding: 6px 8px;
  gap: 0 7px;
}
.tile > * {
  pointer-events: none;
}
.tile b {
  grid-row: 1 / 3;
  font-size: 32px;
  line-height: 1;
}
.many .tile b {
  font-size: 27px;
}
.who {
  max-width: 100%;
  font-weight: 600;
  font-size: 17px;
  line-height: 1.25;
  overflow: hidden;
  text-overflow: ellipsis;
}
.many .who {
  font-size: 14px;
  white-space: nowrap;
}
.says {
  font-size: 14px;
  line-height: 1.2;
  color: var(--soft);
}
.many .says {
  font-size: 13px;
}
.score {
  grid-column: 1 / 3;
  font-size: 16px;
  line-height: 1.2;
  align-self: end;
}
.many .score {
  font-size: 14px;
}
.going .score,
.waiting .score {
  color: var(--soft);
  font-size: 14px;
}
.floor button.tile.missed {
  border-color: var(--ochre);
  background: var(--ochre-wash);
}
.missed .says {
  color: var(--ochre);
  font-weight: 650;
}
.floor button.tile.past {
  border-color: var(--fjord);
}
.past .says {
  color: var(--fjord);
}
.floor button.tile.done,
.floor button.tile.out {
  border-style: dashed;
  background: none;
}
.done b,
.done .who,
.out b,
.out .who {
  color: var(--soft);
  font-weight: 400;
}
.floor button.tile.up {
  outline: 3px solid var(--ember);
}
.floor button.tile.others {
  opacity: 0.55;
}
.picking .tile.going {
  border-style: dotted;
}
@media (max-width: 900px) {
  .tiles,
  .tiles.many {
    padding: 8px 10px;
    gap: 7px;
    grid-template-columns: repeat(auto-fill, minmax(108px, 1fr));
  }
  .floor button.tile {
    min-height: 84px;
    padding: 6px 8px;
    gap: 0 7px;
  }
  .tile b {
    font-size: 26px;
  }
  .who {
    font-size: 14px;
  }
}
</style>
