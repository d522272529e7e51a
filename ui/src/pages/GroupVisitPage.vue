<script setup lang="ts">
import { useIntervalFn } from "@vueuse/core";
import { v7 as uuid } from "uuid";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { Answer, GroupVisitPage, RollLine } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import PageState from "@/components/PageState.vue";
import DateField from "@/components/fields/DateField.vue";
import AwayLinks from "@/components/group/AwayLinks.vue";
import PlayingDiffers from "@/components/group/PlayingDiffers.vue";
import RollRow from "@/components/group/RollRow.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { useBegin } from "@/floor/useBegin";
import { dayYear } from "@/logic/dates";
import { groupVisitHere } from "@/offline/visit";
import { prepareGroupVisit } from "@/offline/prepare";

/** A group visit: the roll, who is ready, heats, the tests, and who owes it still. */
const props = defineProps<{ id: string }>();
const router = useRouter();
const path = { id: props.id };
const {
  data: v,
  failure: lost,
  loading,
  reload,
} = useLoad(async () => groupVisitHere(await take(api.GET("/api/group-visits/{id}", { params: { path } }))));
watch(v, (page) => page && void prepareGroupVisit(page));
const { busy, failure, run } = useAction();
/** Whose row was refused: the message stands there. */
const wrongIn = ref<string | null>(null);
async function change(what: () => Promise<GroupVisitPage>, person: string | null = null) {
  wrongIn.value = person;
  const page = await run(what);
  if (!page) return false;
  v.value = page;
  wrongIn.value = null;
  return true;
}
// Another device calls names too.
useIntervalFn(() => void (busy.value || document.hidden || v.value?.closed || reload()), 10_000);

type Presence = NonNullable<RollLine["presence"]>;
const call = (people: { person: string; presence: Presence; reason?: string }[]) =>
  change(
    () => take(api.PUT("/api/group-visits/{id}/roll", { params: { path }, body: { people } })),
    people.length === 1 ? people[0]!.person : null,
  );
const uncalled = computed(() => v.value?.roll.filter((l) => l.presence == null && l.member) ?? []);
const all = (presence: Presence) => call(uncalled.value.map((l) => ({ person: l.person, presence })));

/** The roll by keyboard: a number or the beginning of a name, Enter. */
const text = ref("");
const said = ref("");
const field = useTemplateRef<HTMLInputElement>("field");
async function here() {
  const asked = text.value.trim().toLowerCase();
  if (!asked || !v.value) return;
  const words = (l: RollLine) => l.name.toLowerCase().split(/\s+/);
  const found = v.value.roll.filter((l) => (/^\d+$/.test(asked) ? l.number === Number(asked) : words(l).some((w) => w.startsWith(asked))));
  if (found.length !== 1) {
    said.value = found.length ? `${found.map((l) => l.name).join(", ")}: type more of the name.` : `Nobody here is “${text.value}”.`;
    return;
  }
  if (await call([{ person: found[0]!.person, presence: "here" }])) said.value = `${found[0]!.name} is here.`;
  text.value = "";
  await nextTick();
  field.value?.focus();
}

const asBefore = (people: string[]) =>
  change(
    () => take(api.POST("/api/group-visits/{id}/readiness", { params: { path }, body: { people } })),
    people.length === 1 ? people[0]! : null,
  );
const repeatable = computed(
  () => v.value?.roll.filter((l) => l.presence === "here" && !l.readiness.asked && l.readiness.may_repeat).map((l) => l.person) ?? [],
);
/** Each is admitted by a reason of their own. */
const admit = (person: string, reason: string) =>
  change(async () => {
    const { readiness } = await take(api.GET("/api/people/{id}", { params: { path: { id: person } } }));
    const body = { answers: readiness!.answers, overrule_reason: reason };
    await take(api.POST("/api/people/{id}/readiness", { params: { path: { id: person } }, body }));
    return take(api.GET("/api/group-visits/{id}", { params: { path } }));
  }, person);
const own = (line: RollLine, conditions: Record<string, Answer>) =>
  change(async () => {
    const of = { path: { id: v.value!.group, member: line.member! } };
    await take(api.PUT("/api/groups/{id}/members/{member}/set-up", { params: of, body: { conditions } }));
    return take(api.GET("/api/group-visits/{id}", { params: { path } }));
  }, line.person);

const by = ref<"number" | "alike" | "mixed">("number");
const size = ref("8");
const test = ref(0);
const targets = ref(false);
const heats = (n: number) =>
  change(() =>
    take(
      api.POST("/api/group-visits/{id}/heats", {
        params: { path },
        body: { by: by.value, size: n, place: test.value, targets: targets.value },
      }),
    ),
  );
/** Those of the heats who have a test still to do. */
function heatsOf(people: string[]) {
  const all = new Map<number, string[]>();
  for (const l of v.value!.roll) if (l.heat != null && people.includes(l.person)) all.set(l.heat, [...(all.get(l.heat) ?? []), l.person]);
  const several = [...all].filter(([, of]) => of.length > 1 && of.length < people.length);
  return several.sort(([a], [b]) => a - b).map(([heat, of]) => ({ heat, people: of }));
}
const hasHeats = computed(() => v.value?.roll.some((l) => l.heat != null) ?? false);

const owing = computed(() => v.value?.roll.filter((l) => l.owes) ?? []);
const second = ref("");
const planned = ref(false);
async function plan() {
  const body = { on: second.value };
  planned.value = await change(() => take(api.POST("/api/group-visits/{id}/second-date", { params: { path }, body })));
}
async function makeUp(person: string) {
  const of = { path: { id: props.id, person } };
  const made = await run(() => take(api.POST("/api/group-visits/{id}/roll/{person}/visit", { params: of })));
  if (made) await router.push(`/visits/${made.visit}/floor`);
}

const open = useBegin();
const runId = ref(uuid());
/** All who have it still to do, on one clock. */
const together = (place: number, people: string[], protocol: string, more: { together?: boolean; apart_s?: number } = {}) =>
  run(() => open({ id: runId.value, people, protocol, conditions: {}, group: { visit: props.id, place }, ...more }));
type Test = GroupVisitPage["tests"][number];
/** All who have it to do, or those of one heat: who does it together, in how many ways. */
const groupsOf = (t: Test) => [
  ...(t.to_come.length > 1 ? [{ key: "all", who: `${t.to_come.length}`, people: t.to_come }] : []),
  ...heatsOf(t.to_come).map((h) => ({ key: `heat ${h.heat}`, who: `heat ${h.heat} (${h.people.length})`, people: h.people })),
];
const namesOf = (people: string[]) => people.map((p) => v.value!.roll.find((l) => l.person === p)?.name ?? "").join(", ");
/** Lanes have room for so many. */
const LANES = 8;
const closing = ref(false);
const close = () => change(() => take(api.POST("/api/group-visits/{id}/close", { params: { path } })));
</script>

<template>
  <PageState v-if="!v" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ v.group_name }}</h1>
        <div class="soft">
          {{ v.battery_name }} · {{ dayYear(v.on) }} · {{ v.here }} here<template v-if="v.owing">, {{ v.owing }} still to do</template
          ><template v-if="v.uncalled && !v.closed">, {{ v.uncalled }} not called yet</template>
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink v-if="v.tests.some((t) => t.done)" class="no-print" :to="`/groups/${v.group}/standing?visit=${id}`">Results</RouterLink>
      <RouterLink :to="`/groups/${v.group}`">Back to {{ v.group_name }}</RouterLink>
      <template v-if="!v.closed">
        <ElButton v-if="!closing" class="no-print" size="large" @click="closing = true">Close the group visit</ElButton>
        <span v-else class="box care closing no-print"
          >Everybody’s visit closes.<template v-if="v.uncalled"> Who was not called counts as absent.</template>
          <ElButton type="primary" :loading="busy" @click="close">Close it</ElButton>
          <button type="button" class="linklike" @click="closing = false">Not yet</button></span
        >
      </template>
    </div>
    <FailureNote v-if="!wrongIn" :failure="failure" />
    <div class="two" :class="{ called: !v.uncalled }">
      <section>
        <form v-if="!v.closed" class="call no-print" @submit.prevent="here">
          <label class="field"
            ><span class="name">Who is here? Number or name, then Enter</span
            ><input ref="field" v-model="text" class="native" autocomplete="off" :autofocus="v.uncalled > 0" aria-describedby="called"
          /></label>
          <ElButton v-if="uncalled.length" :loading="busy" @click="all('here')"
            >{{ uncalled.length === v.roll.length ? "All" : `The other ${uncalled.length}` }} here</ElButton
          >
          <ElButton v-if="uncalled.length && uncalled.length < v.roll.length" :loading="busy" @click="all('absent')"
            >The other {{ uncalled.length }} absent</ElButton
          >
          <span id="called" class="soft" role="status">{{ said }}</span>
        </form>
        <table class="roll">
          <thead>
            <tr>
              <th>No.</th>
              <th>Name</th>
              <th>Presence</th>
              <th>
                Readiness
                <button v-if="repeatable.length > 1" type="button" class="linklike no-print" :disabled="busy" @click="asBefore(repeatable)">
                  {{ repeatable.length }} as last time
                </button>
              </th>
              <th>Tests</th>
            </tr>
          </thead>
          <tbody>
            <RollRow
              v-for="l in v.roll"
              :key="l.person"
              :line="l"
              :tests="v.tests.length"
              :closed="v.closed"
              :busy="busy"
              :differs="v.differs"
              :visit="id"
              :wrong="wrongIn === l.person && failure ? failure.message : null"
              @call="(presence, reason) => call([{ person: l.person, presence, reason }])"
              @as-before="asBefore([l.person])"
              @admit="(reason) => admit(l.person, reason)"
              @own="(conditions) => own(l, conditions)"
            />
          </tbody>
        </table>
      </section>
      <aside>
        <div v-if="v.join_code" class="code next">
          <h2>Partners’ phones, all lesson: <b>/join</b></h2>
          <p class="num">{{ v.join_code.slice(0, 4) }} {{ v.join_code.slice(4) }}</p>
        </div>
        <div class="box next">
          <h2>Tests</h2>
          <ul class="tests">
            <li v-for="t in v.tests" :key="t.place">
              <b>{{ t.name }}</b>
              <span class="soft">{{ t.done }} of {{ v.here }} done</span>
              <template v-if="!v.closed">
                <span v-if="t.held.length" class="held">Held back: {{ namesOf(t.held) }}</span>
                <span v-if="t.unasked.length && t.unasked.length < 6" class="soft small">Not asked: {{ namesOf(t.unasked) }}</span>
                <RouterLink v-for="r in t.runs" :key="r" :to="`/runs/${r}`">On the floor: go on</RouterLink>
                <template v-for="g in groupsOf(t)" :key="g.key">
                  <button
                    v-if="t.together"
                    type="button"
                    class="linklike"
                    :disabled="busy"
                    @click="together(t.place, g.people, t.protocol)"
                  >
                    Start {{ g.who }} together
                  </button>
                  <template v-else>
                    <template v-if="t.board && (t.board !== 'lanes' || g.people.length <= LANES)">
                      <button
                        type="button"
                        class="linklike"
                        :disabled="busy"
                        @click="together(t.place, g.people, t.protocol, { together: true })"
                      >
                        Start {{ g.who }} on one clock
                      </button>
                      <button
                        v-if="t.board === 'lanes'"
                        type="button"
                        class="linklike"
                        :disabled="busy"
                        @click="together(t.place, g.people, t.protocol, { together: true, apart_s: 5 })"
                      >
                        Start {{ g.who }} in lanes, 5 s apart
                      </button>
                    </template>
                    <span v-else-if="t.board === 'lanes'" class="soft small">Up to {{ LANES }} lanes at once: make heats.</span>
                    <button v-if="t.grid" type="button" class="linklike" :disabled="busy" @click="together(t.place, g.people, t.protocol)">
                      Record tries of {{ g.who }}
                    </button>
                  </template>
                </template>
              </template>
            </li>
          </ul>
          <p v-if="!v.closed && v.here" class="soft small">One person at a time: open their tests in the list.</p>
          <p class="small no-print">
            <RouterLink :to="`/group-visits/${id}/list`">{{
              v.closed ? "Results as a list" : "Enter results from a spreadsheet or paper"
            }}</RouterLink>
          </p>
        </div>
        <div v-if="owing.length" class="box care">
          <h2>Still to do</h2>
          <ul class="plain">
            <li v-for="l in owing" :key="l.person">
              {{ l.name }} <button type="button" class="linklike no-print" :disabled="busy" @click="makeUp(l.person)">does it now</button>
            </li>
          </ul>
          <form class="second no-print" @submit.prevent="plan">
            <DateField
              v-model="second"
              label="A second date for them"
              name="second"
              :wrong="failure?.field === 'on' ? failure.message : null"
            />
            <ElButton native-type="submit" :disabled="!second" :loading="busy">Plan it</ElButton>
          </form>
          <p v-if="planned" role="status">Planned. Each of them has it under Retests.</p>
        </div>
        <PlayingDiffers v-if="!v.closed" :visit="v" @changed="reload" />
        <AwayLinks v-if="!v.closed" :visit="v" @made="reload" />
        <FoldSection v-if="!v.closed && v.here > 1" title="Heats" :brief="hasHeats ? 'made' : ''">
          <form class="heats" @submit.prevent="heats(Number(size) || 0)">
            <label
              >By
              <select v-model="by" class="native">
                <option value="number">number</option>
                <option value="alike">result, alike together</option>
                <option value="mixed">result, mixed</option>
              </select></label
            >
            <label v-if="by !== 'number'"
              >of
              <select v-model.number="test" class="native">
                <option v-for="t in v.tests" :key="t.place" :value="t.place">{{ t.name }}</option>
              </select></label
            >
            <label v-if="by !== 'number'"><input v-model="targets" type="checkbox" /> by target instead of last result</label>
            <label
              >at most <input v-model="size" class="native num size" inputmode="numeric" aria-label="People in a heat" /> in a heat</label
            >
            <span class="actions">
              <ElButton native-type="submit" :loading="busy">Make heats</ElButton>
              <button v-if="hasHeats" type="button" class="linklike" @click="heats(0)">No heats</button>
            </span>
          </form>
        </FoldSection>
        <FoldSection title="To set up" :brief="`${v.equipment.length}`">
          <ul class="plain">
            <li v-for="e in v.equipment" :key="e">{{ e }}</li>
            <li v-if="!v.equipment.length">Nothing but room.</li>
          </ul>
          <p v-if="v.shared.length" class="soft small">
            For everybody: {{ v.shared.map((s) => `${s.label.toLowerCase()} ${s.value}`).join(" · ") }}
          </p>
        </FoldSection>
        <FoldSection v-if="v.cautions.length" title="Keep in mind" :brief="`${v.cautions.length}`">
          <ul class="plain">
            <li v-for="c in v.cautions" :key="c">{{ c }}</li>
          </ul>
        </FoldSection>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 262px;
  gap: 26px;
  align-items: start;
}
.page {
  max-width: 1320px;
}
.call {
  display: flex;
  flex-wrap: wrap;
  gap: 8px 12px;
  align-items: flex-end;
  margin-bottom: 14px;
}
.call .field {
  margin: 0;
  flex: 0 1 330px;
}
.call .native {
  width: 100%;
}
.call > span {
  flex: 1 1 100%;
  min-height: 1.4em;
}
.roll {
  width: 100%;
  border-collapse: collapse;
}
thead th {
  text-align: left;
  font-weight: 600;
  color: var(--soft);
  padding: 4px 10px 8px 0;
  white-space: nowrap;
}
thead .linklike {
  margin-left: 10px;
}
aside {
  display: grid;
  gap: 16px;
}
.closing {
  display: inline-flex;
  flex-wrap: wrap;
  gap: 10px;
  align-items: center;
  padding: 8px 12px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
}
.code h2 {
  font-size: 15px;
  margin: 0;
  color: var(--soft);
}
.code p {
  font-size: 30px;
  font-weight: 600;
  letter-spacing: 0.1em;
  margin: 0;
}
.tests li {
  display: grid;
  gap: 1px;
  padding: 8px 0;
  border-top: 1px solid var(--line);
}
.tests li:first-child {
  border-top: 0;
}
.held {
  color: var(--madder);
  font-weight: 600;
}
.tests .linklike {
  justify-self: start;
}
.small {
  font-size: 15px;
  margin-bottom: 0;
}
.plain li {
  padding: 3px 0;
}
.second {
  margin-top: 10px;
}
.heats {
  display: grid;
  gap: 10px;
}
.size {
  width: 64px;
}
@media (max-width: 1180px) {
  .two {
    grid-template-columns: minmax(0, 1fr);
    gap: 16px;
  }
  /* Once everybody is called, what comes next is the tests. */
  .called aside {
    display: contents;
  }
  .called .next {
    order: -1;
  }
  .tests {
    display: grid;
    grid-template-columns: repeat(auto-fill, minmax(min(100%, 220px), 1fr));
    gap: 0 26px;
  }
  .tests li {
    align-content: start;
    border-top: 0;
  }
}
@media (max-width: 820px) {
  thead {
    display: none;
  }
}
</style>
