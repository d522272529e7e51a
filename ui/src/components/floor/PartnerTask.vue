<script setup lang="ts">
import { computed, ref, watch } from "vue";
import type { RunView } from "@/api/types";
import type { Floor } from "@/floor/useFloor";
import { sentence } from "@/logic/sheet";
import { hasSign, withoutSign } from "@/logic/signs";
import { askedOnce } from "@/logic/askedOnce";
import { useRun } from "@/stores/run";

/** What a partner's phone takes of the one it stands beside: a large key for each thing that happens, or readings that are typed. */
const props = defineProps<{ floor: Floor; slot_: number; name: string }>();
const run = useRun();
const { working, over } = props.floor;
type Task = NonNullable<RunView["task"]>;
const task = computed(() => run.view?.task as Task);
const kind = computed(() => task.value.kind ?? null);
const started = computed(() => run.startedAt !== null);
/** What this phone has sent of this test, kept over a reload: nobody else's is shown here. */
const place = `impulso.partner.sent.${run.view?.id}.${props.slot_}`;
type Sent = { event: string; what: string; input?: string; side?: string | null };
const sent = ref<Sent[]>(JSON.parse(sessionStorage.getItem(place) ?? "[]") as Sent[]);
watch(sent, (all) => sessionStorage.setItem(place, JSON.stringify(all)), { deep: true, flush: "sync" });
/** Where the one stands whom this phone counts for. */
const beside = computed(() => run.view?.beside ?? null);
const count = computed(() => beside.value?.done ?? 0);
const ended = computed(() => beside.value?.stand === "done" || beside.value?.stand === "out");
async function say(event: Parameters<typeof run.record>[0], what: string, more: Partial<Sent> = {}) {
  // Seen at once, also where the page is loaded anew a moment later.
  const at = sent.value.push({ event: "", what, ...more }) - 1;
  sent.value[at]!.event = await run.record(event, props.slot_);
}
const column = computed(() => task.value.columns[0]);
const one = () => column.value && say({ kind: "counted", input: column.value.input, side: column.value.side ?? undefined, by: 1 }, "one");
const missed = () => say({ kind: "beat_missed" }, "a missed beat");
const missedLine = () => say({ kind: "line_missed" }, "a missed line");
const lost = () => say({ kind: "position_lost" }, "the position was lost");
const crossed = () => say({ kind: "crossed" }, "over the line");
const lap = () => say({ kind: "tallied" }, "a lap");
async function back() {
  const last = sent.value.pop();
  if (last) await run.record({ kind: "undone", event: last.event }, props.slot_);
}

/** Readings that are typed, one field each. */
const texts = ref<Record<string, string>>({});
const wrong = ref<{ at: string; words: string } | null>(null);
let meant = "";
const keyOf = (c: Task["columns"][number]) => `${c.input}/${c.side ?? ""}`;
type Of = { input?: string; side?: string | null };
const isOf = (c: Of) => (s: Of) => s.input === c.input && (s.side ?? null) === (c.side ?? null);
/** What was taken of a reading: as it was typed here; as it is kept where it came from another screen too. */
function takenOf(c: Task["columns"][number]): string[] {
  const here = sent.value.filter(isOf(c)).map((s) => s.what);
  const all = beside.value?.taken.find(isOf(c))?.tries ?? [];
  return all.length === here.length ? here : all.map((shown) => `${shown} ${c.unit}`.trim());
}
async function send(c: Task["columns"][number], sign: 1 | -1 = 1) {
  const [at, text] = [keyOf(c), (texts.value[keyOf(c)] ?? "").trim()];
  if (!text) return;
  if (c.signs && hasSign(text)) return void (wrong.value = { at, words: withoutSign(c.signs) });
  const units = run.view?.units ?? "metric";
  const read = askedOnce(text, c, units, sign, meant);
  if ("wrong" in read) {
    if (read.asked) meant = text;
    return void (wrong.value = { at, words: read.wrong });
  }
  [wrong.value, texts.value[at], meant] = [null, "", ""];
  const side = c.signs ? `${sign < 0 ? c.signs.minus : c.signs.plus} ` : "";
  await say({ kind: "taken", input: c.input, side: c.side ?? undefined, value: read.value }, `${side}${text} ${c.unit}`.trim(), {
    input: c.input,
    side: c.side,
  });
}
function enter(c: Task["columns"][number]) {
  if (!c.signs) return send(c);
  if (!c.signs.plus) return send(c, -1);
  wrong.value = { at: keyOf(c), words: `${sentence(c.signs.minus)} or ${c.signs.plus}? Press one of the two.` };
}
watch(
  () => run.refused,
  (refused) => {
    if (!refused || refused.event.slot !== props.slot_) return;
    sent.value = sent.value.filter((s) => s.event !== refused.event.id);
    wrong.value = { at: "", words: refused.message };
  },
);
</script>

<template>
  <div class="task">
    <template v-if="kind">
      <template v-if="working && !ended">
        <p v-if="kind === 'count' || kind === 'beat' || kind === 'laps' || kind === 'lanes'" class="num total" role="status">{{ count }}</p>
        <button v-if="kind === 'count' || kind === 'beat'" type="button" class="pad main" @click="one">One more</button>
        <button v-if="kind === 'beat'" type="button" class="wide" @click="missed">Missed a beat</button>
        <button v-if="kind === 'hold'" type="button" class="pad main" @click="lost">Position lost</button>
        <button v-if="kind === 'finish' || kind === 'lanes'" type="button" class="pad main" @click="crossed">Over the line</button>
        <button v-if="kind === 'laps'" type="button" class="pad main" @click="lap">One lap</button>
        <button v-if="kind === 'line'" type="button" class="pad main" @click="missedLine">Missed the line</button>
      </template>
      <p v-else-if="ended && beside!.stand === 'out'" class="big">It is over for {{ name }}.</p>
      <p v-else-if="ended && kind === 'beat'" class="big">
        {{ beside!.note }} at <b class="num">{{ count }}</b>.
      </p>
      <p v-else-if="ended && beside!.shown" class="big">
        Sent: <b class="num">{{ beside!.shown }}</b>
      </p>
      <p v-else-if="ended" class="big">It is sent.</p>
      <template v-else-if="over">
        <p v-if="count" class="big">
          You counted <b class="num">{{ count }}</b>. It is sent.
        </p>
        <form v-if="(kind === 'count' || kind === 'beat') && column" class="entry due" @submit.prevent="send(column)">
          <label for="whole">{{ count ? "Another number?" : "How many?" }}</label>
          <input
            id="whole"
            v-model="texts[keyOf(column)]"
            class="num"
            @input="wrong = null"
            inputmode="numeric"
            maxlength="5"
            autocomplete="off"
          />
          <button type="submit" class="main">Send</button>
        </form>
        <p v-for="s in sent.filter((s) => s.input)" :key="s.event">Sent: {{ s.what }}</p>
      </template>
    </template>
    <template v-else-if="started">
      <div v-for="c in task.columns" :key="keyOf(c)" class="reading">
        <p v-if="takenOf(c).length" class="soft">{{ c.label }}: {{ takenOf(c).join(", ") }}</p>
        <form v-if="takenOf(c).length < c.tries" class="entry" @submit.prevent="enter(c)">
          <label :for="keyOf(c)">{{ c.label }}</label>
          <input :id="keyOf(c)" v-model="texts[keyOf(c)]" class="num" @input="wrong = null" maxlength="12" autocomplete="off" />
          <span v-if="c.unit" class="unit">{{ c.unit }}</span>
          <button v-if="!c.signs" type="submit" :class="{ main: texts[keyOf(c)] }">Send</button>
          <template v-else>
            <button type="button" :class="{ main: texts[keyOf(c)] }" @click="send(c, -1)">{{ sentence(c.signs.minus) }}</button>
            <button v-if="c.signs.plus" type="button" :class="{ main: texts[keyOf(c)] }" @click="send(c, 1)">
              {{ sentence(c.signs.plus) }}
            </button>
          </template>
        </form>
        <p v-if="wrong?.at === keyOf(c)" class="wrong" role="alert">{{ wrong.words }}</p>
      </div>
    </template>
    <p v-if="wrong && (kind || !wrong.at)" class="wrong" role="alert">{{ wrong.words }}</p>
    <button v-if="sent.length && started && !run.view?.closed" type="button" class="quiet wide" @click="back">
      Take back: {{ sent.at(-1)!.what }}
    </button>
  </div>
</template>

<style scoped>
.task {
  display: grid;
  gap: 14px;
}
.total {
  font-size: 84px;
  line-height: 1;
  margin: 0;
  text-align: center;
}
.floor button.pad {
  min-height: 34dvh;
  font-size: 30px;
  justify-content: center;
  border-radius: 16px;
}
.floor button.wide {
  justify-content: center;
  min-height: 60px;
}
.big {
  font-size: 24px;
  margin: 0;
}
.entry {
  flex-wrap: wrap;
}
.reading p {
  margin: 0 0 6px;
}
</style>
