<script setup lang="ts">
import { useIntervalFn } from "@vueuse/core";
import { computed, nextTick, ref, useTemplateRef, watch } from "vue";
import { api, take } from "@/api/client";
import type { Answer, GroupVisitPage, RollLine } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import PageState from "@/components/PageState.vue";
import AwayLinks from "@/components/group/AwayLinks.vue";
import GroupHeats from "@/components/group/GroupHeats.vue";
import GroupTests from "@/components/group/GroupTests.vue";
import PlayingDiffers from "@/components/group/PlayingDiffers.vue";
import RollRow from "@/components/group/RollRow.vue";
import SharedAnswers from "@/components/group/SharedAnswers.vue";
import StillToDo from "@/components/group/StillToDo.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { dayYear } from "@/logic/dates";
import { groupVisitHere } from "@/offline/visit";
import { prepareGroupVisit } from "@/offline/prepare";
import { inHalves, joinAddress } from "@/logic/join";

/** A group visit: the roll, who is ready, heats, the tests, and who owes it still. */
const props = defineProps<{ id: string }>();
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
// What was said of a number or name goes with the next press.
watch([text, busy], () => (said.value = ""), { flush: "sync" });
async function here() {
  const asked = text.value.trim().toLowerCase();
  if (!asked || !v.value) return;
  const words = (l: RollLine) => l.name.toLowerCase().split(/\s+/);
  const found = v.value.roll.filter((l) => (/^\d+$/.test(asked) ? l.number === Number(asked) : words(l).some((w) => w.startsWith(asked))));
  if (found.length !== 1) {
    said.value = found.length ? `${found.map((l) => l.name).join(", ")}: type more of the name.` : `Nobody here is “${text.value}”.`;
    return;
  }
  const called = await call([{ person: found[0]!.person, presence: "here" }]);
  text.value = "";
  if (called) said.value = `${found[0]!.name} is here.`;
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
          {{ v.battery_name }} · {{ dayYear(v.on) }} · {{ v.here }} here<template v-if="v.owing"
            >, {{ v.owing }} to test another day</template
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
          <h2>
            Partners’ phones, all tests: <b>{{ joinAddress() }}</b>
          </h2>
          <p class="num">{{ inHalves(v.join_code) }}</p>
        </div>
        <GroupTests :visit="v" class="next" />
        <StillToDo :visit="v" @changed="(page) => (v = page)" />
        <PlayingDiffers v-if="!v.closed" :visit="v" @changed="reload" />
        <AwayLinks v-if="!v.closed" :visit="v" @made="reload" />
        <GroupHeats v-if="!v.closed && v.here > 1" :visit="v" @changed="(page) => (v = page)" />
        <SharedAnswers :visit="v" @changed="(page) => (v = page)" />
        <FoldSection title="To set up" :brief="`${v.equipment.length}`">
          <ul class="bare-list">
            <li v-for="e in v.equipment" :key="e">{{ e }}</li>
            <li v-if="!v.equipment.length">Nothing but room.</li>
          </ul>
        </FoldSection>
        <FoldSection v-if="v.cautions.length" title="Keep in mind" :brief="`${v.cautions.length}`">
          <ul class="bare-list">
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
}
@media (max-width: 820px) {
  thead {
    display: none;
  }
}
</style>
