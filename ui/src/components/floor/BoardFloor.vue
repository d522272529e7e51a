<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import type { StopReason, Tile } from "@/api/types";
import BeatArc from "@/components/BeatArc.vue";
import BoardTiles from "@/components/floor/BoardTiles.vue";
import OneIsOut from "@/components/floor/OneIsOut.vue";
import type { Floor } from "@/floor/useFloor";
import { useMany } from "@/floor/useMany";
import { reasonsIn } from "@/logic/reasons";
import { inTenths, minutes } from "@/logic/dates";
import { askedOnce } from "@/logic/askedOnce";
import { useRun } from "@/stores/run";
import { inHalves, joinAddress } from "@/logic/join";

/** Many on one clock: a tap on a name says what has just happened to them; times first and names afterwards; each ends alone. */
const props = defineProps<{ floor: Floor; closed: boolean; finishing: boolean }>();
const emit = defineEmits<{ finish: [] }>();
const run = useRun();
const { ms, beatMs, phase, running, working, over, state } = props.floor;
const { known, people, wears, said, say, undo } = useMany();
const board = computed(() => run.view!.board!);
const kind = computed(() => board.value.kind);
const tiles = computed(() => people.value.map((p) => ({ ...p, tile: board.value.tiles.find((t) => t.slot === p.slot)! })));
type One = (typeof tiles.value)[number];
const started = computed(() => run.startedAt !== null);
const open = computed(() => started.value && !props.closed && running.value);

/** The large figure: what is left of a phase that ends, else how long it goes. */
const workStart = computed(() => props.floor.phases.value.find((p) => p.kind === "work")?.start_ms ?? 0);
const figures = computed(() => {
  if (!started.value || props.floor.ended.value) return minutes(0);
  const now = phase.value;
  if (now?.end_ms != null) return minutes(Math.max(0, now.end_ms - ms.value) + 999);
  return inTenths(Math.max(0, ms.value - workStart.value));
});
const heading = computed(() => (started.value ? (phase.value?.label ?? "Time is up") : "Ready when you are"));
const count = (stand: Tile["stand"]) => tiles.value.filter((t) => t.tile.stand === stand).length;
const complete = computed(() => tiles.value.filter((t) => t.tile.complete).length);
const typing = computed(() => ["count", "beat", "laps", "lanes"].includes(kind.value) && over.value);
/** Numbers can be typed: after the time, or where there is no end to wait for. */
const takesNumbers = computed(
  () => typing.value || ((kind.value === "count" || kind.value === "beat") && working.value && phase.value?.end_ms == null),
);
const hint = computed(
  () =>
    ({
      finish: "Tap the name that crosses the line, or press Space for whoever crosses and give the times their names afterwards.",
      laps: "Tap a name for each lap. When the time is up, type the metres beyond the last lap.",
      lanes: over.value
        ? "Type a number and Enter, then the time of a start that was missed."
        : "Tap a lane, or press its key, when its runner crosses the line.",
      count: over.value
        ? "Type a number and Enter, then the count, for everybody who was miscounted or not counted."
        : "Tap a name for one repetition, or type everybody’s number when the time is up.",
      beat: over.value
        ? "Type a number and Enter, then how many."
        : "Tap a name that missed a beat. Three in a row end that count; the numbers are typed at the end.",
      hold: "Tap the name of who loses the position.",
      line: "",
    })[kind.value],
);

/** What the number is, before it is known whose. */
const asksFor = computed(() => {
  if (kind.value === "laps") return "Metres beyond the laps";
  return kind.value === "lanes" ? "Time" : "How many";
});

const wrong = ref<string | null>(null);
/** What the next tap on a name means, where it is not the usual. */
const mode = ref<"usual" | "out" | "off">("usual");
/** Who has a time already and was tapped again, and when. */
const twice = ref<{ one: One; atMs: number } | null>(null);
/** Who was tapped sooner than most finish, and when. */
const soon = ref<{ one: One; atMs: number } | null>(null);
const took = (tile: Tile, atMs: number) => atMs - Math.max(tile.since_ms, workStart.value);
const isSoon = (tile: Tile) => tile.entry?.unit === "s" && tile.entry.usual != null && took(tile, ms.value) < tile.entry.usual.from * 1000;
async function finishes() {
  const { one, atMs } = soon.value!;
  soon.value = null;
  await say({ kind: "crossed" }, one.slot, `${one.name}’s finish`, atMs);
}
/** Who is out, before a reason was given. */
const leaving = ref<One | null>(null);
/** The time that is named next. */
const picked = ref<string | null>(null);
const next = computed(() => board.value.times.find((t) => t.event === picked.value) ?? board.value.times[0] ?? null);

function tap(one: One) {
  wrong.value = null;
  if (!open.value) return;
  const { tile, slot, name } = one;
  if (mode.value === "off") return void say({ kind: "set_off" }, slot, `${name} sets off`);
  if (mode.value === "out") return void ([leaving.value, mode.value] = [one, "usual"]);
  if (tile.stand === "out") return void (wrong.value = `${name} is out. Undo it to let ${name} go on.`);
  if (typing.value) return choose(one);
  if (!working.value) return void (wrong.value = "The time has not begun yet.");
  switch (kind.value) {
    case "finish":
      if (tile.stand === "done") return void (twice.value = { one, atMs: ms.value });
      if (tile.of && tile.done < tile.of - 1) return void say({ kind: "tallied" }, slot, `${name}: a lap`);
      if (isSoon(tile)) return void (soon.value = { one, atMs: ms.value });
      return void say({ kind: "crossed" }, slot, `${name}’s finish`);
    case "laps":
      return void say({ kind: "tallied" }, slot, `${name}: a lap`);
    case "lanes":
      return void say({ kind: "crossed" }, slot, `${name}’s finish`);
    case "count":
      if (tile.entry)
        void say({ kind: "counted", input: tile.entry.input, side: tile.entry.side ?? undefined, by: 1 }, slot, `${name}: one`);
      return;
    case "beat":
      if (tile.stand !== "done") void say({ kind: "beat_missed" }, slot, `${name} missed a beat`);
      return;
    case "hold":
      if (tile.stand !== "done") void say({ kind: "position_lost" }, slot, `${name} lost the position`);
  }
}
const key = (atMs?: number) => say({ kind: "time_keyed" }, undefined, "a time without a name", atMs);
/** Somebody else crossed when this name was tapped: the time is kept without one. */
async function someoneElse() {
  const at = twice.value!.atMs;
  twice.value = null;
  await key(at);
}
async function out(reason: StopReason) {
  const { slot, name } = leaving.value!;
  leaving.value = null;
  await say({ kind: "stopped" }, slot, `${name} is out`);
  await run.record({ kind: "stop_explained", reason, note: null }, slot);
}

/** A number: whose time or whose value it is. */
const number = ref("");
const value = ref("");
const chosen = ref<number | null>(null);
const numberField = useTemplateRef<HTMLInputElement>("no");
const valueField = useTemplateRef<HTMLInputElement>("val");
const person = computed(() => tiles.value.find((t) => t.slot === chosen.value) ?? null);
let meant: string | null = null;
async function choose(one: One) {
  if (!one.tile.entry) return void (wrong.value = `${one.name} has everything.`);
  [chosen.value, number.value] = [one.slot, String(one.number)];
  await nextTick();
  valueField.value?.focus();
}
async function whose() {
  wrong.value = null;
  const text = number.value.trim();
  const found = text ? wears(text) : null;
  if (!found) return void (wrong.value = text ? `Nobody here wears number ${text}.` : "Type a number.");
  const one = tiles.value.find((t) => t.slot === found.slot)!;
  if (takesNumbers.value) return choose(one);
  number.value = "";
  if (kind.value !== "finish") return tap(one);
  if (!next.value) return tap(one);
  if (one.tile.stand === "done") return void (wrong.value = `${one.name} has ${one.tile.shown} already. Undo that first.`);
  const { event, shown } = next.value;
  picked.value = null;
  await say({ kind: "named", time: event }, one.slot, `${one.name}: ${shown}`);
}
async function keep() {
  const entry = person.value?.tile.entry;
  const text = value.value.trim();
  if (!entry || !text) return;
  const read = askedOnce(text, entry, "metric", 1, meant);
  if ("wrong" in read) {
    wrong.value = read.wrong;
    if (!read.asked) return;
    meant = text;
    return void valueField.value?.select();
  }
  wrong.value = null;
  const { slot, name } = person.value!;
  const what = `${name}: ${text} ${entry.unit}`.trim();
  if (entry.reading)
    await say(
      { kind: "taken", input: entry.input, side: entry.side ?? undefined, attempt: entry.attempt ?? undefined, value: read.value },
      slot,
      what,
    );
  else await say({ kind: "value_typed", key: entry.input, value: read.value }, slot, what);
  [chosen.value, number.value, value.value, meant] = [null, "", "", null];
  await nextTick();
  numberField.value?.focus();
}

const left = computed(() => tiles.value.filter((t) => !t.tile.complete && t.tile.stand !== "out"));
const asking = ref(false);
const unnamed = computed(() => board.value.times.length);
const saves = computed(() => {
  if (asking.value && unnamed.value) return unnamed.value === 1 ? "Save without this time" : `Save without these ${unnamed.value} times`;
  return left.value.length ? `Save ${complete.value}, leave ${left.value.length} open` : "Save all results";
});
/** Asks first where something is open. The second of a double press is no answer. */
function finish(press: MouseEvent) {
  if (press.detail > 1) return;
  if ((left.value.length || unnamed.value) && !asking.value) return void (asking.value = true);
  emit("finish");
}
onKeyStroke((event) => {
  const target = event.target as HTMLElement;
  if (event.defaultPrevented || !open.value || !known.value || event.ctrlKey || event.metaKey || event.altKey) return;
  if (target.closest("textarea, [role=alertdialog]") || (target.closest("button, a") && event.key !== " ")) return;
  const pressed = event.key.toLowerCase();
  const inField = target.closest("input") !== null;
  if (pressed === " " && kind.value === "finish" && working.value) void key();
  else if (kind.value === "lanes" && working.value && !inField && /^[1-8]$/.test(pressed)) {
    const one = tiles.value[Number(pressed) - 1];
    if (one) tap(one);
  } else if (pressed === "u" && !value.value) void undo();
  else if (pressed === "o" && !value.value) mode.value = mode.value === "out" ? "usual" : "out";
  else return;
  event.preventDefault();
});
watch(
  () => open.value && numberField.value,
  (field) => field && field.focus(),
  { flush: "post" },
);
</script>

<template>
  <main class="board">
    <section class="top">
      <div class="clock">
        <span class="figures num" role="timer">{{ figures }}</span>
        <span class="soft">{{ heading }}</span>
      </div>
      <slot v-if="!started" name="start" />
      <p v-if="!started" class="soft hint">{{ hint }}</p>
      <ul v-else class="counts">
        <li v-if="typing">
          <b class="num">{{ complete }}</b> of {{ tiles.length }} have a result
        </li>
        <template v-else>
          <li>
            <b class="num">{{ count("going") }}</b> going
          </li>
          <li>
            <b class="num">{{ count("done") }}</b> done
          </li>
        </template>
        <li v-if="count('out')">
          <b class="num">{{ count("out") }}</b> out
        </li>
      </ul>
      <p v-if="started" class="soft hint">{{ hint }}</p>
      <p v-if="run.view?.join_code && !started" class="code">
        Partners join at <b>{{ joinAddress() }}</b> with <b class="num">{{ inHalves(run.view.join_code) }}</b>
      </p>
    </section>
    <div v-if="state?.timeline.beat && started && running" class="beat">
      <BeatArc :beat="state.timeline.beat" :ms="beatMs" />
    </div>
    <section class="middle">
      <BoardTiles
        :tiles="tiles"
        :kind="kind"
        :open="open"
        :picking="mode !== 'usual'"
        :chosen="chosen"
        :work-start="workStart"
        @tap="tap"
      />
      <div v-if="kind === 'finish' && board.times.length" class="times">
        <h2>Times without a name</h2>
        <p class="soft">Type a number and Enter: it takes the marked time.</p>
        <ol>
          <li v-for="t in board.times" :key="t.event">
            <button type="button" class="quiet num" :class="{ on: t.event === next?.event }" @click="picked = t.event">
              {{ t.shown }}
            </button>
          </li>
        </ol>
      </div>
    </section>
    <div class="below"><slot name="below" /></div>
    <p v-if="run.refused" class="wrong" role="alert">{{ run.refused.message }}</p>
  </main>
  <footer class="foot">
    <p v-if="wrong" class="wrong" role="alert">{{ wrong }}</p>
    <div v-if="twice" class="ask" role="alertdialog" aria-label="Tapped twice">
      <span>{{ twice.one.name }} has {{ twice.one.tile.shown }} already. Did somebody else cross the line?</span>
      <button type="button" class="main" @click="someoneElse">Save a time without a name</button>
      <button type="button" @click="twice = null">No, a slip</button>
    </div>
    <div v-else-if="soon" class="ask" role="alertdialog" aria-label="Sooner than most">
      <span
        >{{ soon.one.name }} after {{ inTenths(took(soon.one.tile, soon.atMs)) }}? Most take
        {{ minutes(soon.one.tile.entry!.usual!.from * 1000) }} to {{ minutes(soon.one.tile.entry!.usual!.to * 1000) }}.</span
      >
      <button type="button" class="main" @click="finishes">It is the finish</button>
      <button type="button" @click="soon = null">No, a slip</button>
    </div>
    <OneIsOut
      v-else-if="leaving"
      :name="leaving.name"
      :reasons="state ? reasonsIn(state) : undefined"
      @reason="out"
      @back="leaving = null"
    />
    <template v-else-if="open && known && !asking">
      <form v-if="kind === 'finish' || takesNumbers" class="entry" @submit.prevent="whose">
        <label for="board-no">No.</label>
        <input
          id="board-no"
          ref="no"
          v-model="number"
          class="num no"
          @input="wrong = null"
          inputmode="numeric"
          maxlength="4"
          autocomplete="off"
        />
      </form>
      <form v-if="takesNumbers" class="entry" :class="{ due: chosen !== null }" @submit.prevent="keep">
        <label for="board-value">{{ person?.tile.entry?.label ?? asksFor }}</label>
        <input
          id="board-value"
          ref="val"
          v-model="value"
          class="num"
          @input="wrong = null"
          autocomplete="off"
          maxlength="12"
          :disabled="chosen === null"
        />
        <span v-if="person?.tile.entry?.unit" class="unit">{{ person.tile.entry.unit }}</span>
      </form>
    </template>
    <p v-if="asking && (unnamed || left.length)" class="ask" role="alert">
      <template v-if="unnamed">
        {{ unnamed === 1 ? "1 time has no name and will be lost." : `${unnamed} times have no name and will be lost.` }} Go on to type the
        number of who ran {{ unnamed === 1 ? "it" : "them" }}.
      </template>
      <template v-if="left.length"
        >No result yet: {{ left.map((p) => p.name).join(", ") }}. Their test stays open in their own visit.</template
      >
    </p>
    <div v-if="!twice && !soon && !leaving" class="choices pairs">
      <button v-if="asking" type="button" @click="asking = false">Go on</button>
      <template v-else-if="open">
        <button
          type="button"
          class="quiet"
          :aria-pressed="mode === 'out'"
          :class="{ on: mode === 'out' }"
          @click="mode = mode === 'out' ? 'usual' : 'out'"
        >
          {{ mode === "out" ? "Tap who is out" : "Somebody is out" }} <kbd>O</kbd>
        </button>
        <button
          v-if="kind === 'finish'"
          type="button"
          class="quiet"
          :aria-pressed="mode === 'off'"
          :class="{ on: mode === 'off' }"
          @click="mode = mode === 'off' ? 'usual' : 'off'"
        >
          {{ mode === "off" ? "Tap who sets off now" : "Start somebody later" }}
        </button>
        <button v-if="kind === 'finish'" type="button" class="quiet" @click="key()">Record a time <kbd>Space</kbd></button>
        <button v-if="said.length" type="button" class="quiet" @click="undo">Undo {{ said.at(-1)!.what }} <kbd>U</kbd></button>
      </template>
      <button
        v-if="started && !closed && complete"
        type="button"
        :class="{ main: asking || (!left.length && !unnamed) }"
        :disabled="finishing"
        @click="finish"
      >
        {{ saves }}
      </button>
    </div>
  </footer>
</template>

<style scoped>
main.board {
  display: flex;
  flex-direction: column;
  overflow-y: auto;
}
.top {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 36px;
  align-items: center;
  padding: 14px 24px;
  border-bottom: 1px solid var(--line);
}
.clock {
  display: flex;
  align-items: baseline;
  gap: 16px;
}
.figures {
  font-size: 68px;
  line-height: 1;
  font-weight: 600;
}
.counts {
  display: flex;
  gap: 22px;
  list-style: none;
  margin: 0;
  padding: 0;
  font-size: 18px;
}
.counts b {
  font-size: 28px;
}
.code {
  margin: 0;
  font-size: 20px;
}
.code b.num {
  font-size: 30px;
  letter-spacing: 0.1em;
}
.hint {
  flex: 1 1 260px;
  margin: 0;
  max-width: 60ch;
}
.beat {
  padding: 12px 24px 0;
}
.beat :deep(svg) {
  max-height: 200px;
}
.below {
  padding: 0 24px 16px;
}
.middle {
  display: flex;
  gap: 20px;
  padding: 16px 24px;
  align-items: flex-start;
}
.times {
  flex: 0 0 210px;
}
.times h2 {
  margin: 0;
  font-size: 17px;
}
.times p {
  margin: 0 0 8px;
  font-size: 15px;
}
.times ol {
  list-style: none;
  margin: 0;
  padding: 0;
  display: grid;
  gap: 6px;
}
.times button {
  width: 100%;
  font-size: 20px;
  justify-content: center;
}
.ask {
  display: flex;
  flex-wrap: wrap;
  gap: 8px;
  align-items: center;
}
.entry input.no {
  width: 64px;
}
@media (max-width: 900px) {
  .top {
    padding: 8px 12px;
  }
  .figures {
    font-size: 44px;
  }
  .top .hint {
    display: none;
  }
  .middle {
    flex-direction: column-reverse;
    padding: 10px 12px;
  }
  .times {
    flex-basis: auto;
  }
  .times ol {
    display: flex;
    flex-wrap: wrap;
  }
}
</style>
