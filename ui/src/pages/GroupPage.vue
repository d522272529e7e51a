<script setup lang="ts">
import { useDebounceFn } from "@vueuse/core";
import { v7 as uuid } from "uuid";
import { computed, ref, watch } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import type { GroupPage, PersonLine } from "@/api/types";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import PageState from "@/components/PageState.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { dayShort } from "@/logic/dates";

/** A group: who belongs to it, with which number and in which playing group. */
const props = defineProps<{ id: string }>();
const router = useRouter();
const path = computed(() => ({ id: props.id }));
const { data: g, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/groups/{id}", { params: { path: path.value } })));
const { data: visits } = useLoad(() => take(api.GET("/api/groups/{id}/visits", { params: { path: path.value } })));
const { busy, failure, run } = useAction();
/** The member whose cells were refused: the message stands in their row. */
const wrongIn = ref<string | null>(null);

async function changed(what: Promise<GroupPage | undefined>, member: string | null = null) {
  wrongIn.value = member;
  const page = await what;
  if (!page) return;
  g.value = page;
  wrongIn.value = null;
}
function change(member: GroupPage["members"][number], field: "playing_group" | "number", typed: string) {
  if (typed.trim() === String(member[field] ?? "")) return;
  const now = { playing_group: member.playing_group ?? "", number: String(member.number ?? ""), [field]: typed };
  const of = { params: { path: { id: props.id, member: member.id } }, body: now };
  return changed(
    run(() => take(api.PUT("/api/groups/{id}/members/{member}", of))),
    member.id,
  );
}
const leave = (member: string) =>
  changed(run(() => take(api.DELETE("/api/groups/{id}/members/{member}", { params: { path: { id: props.id, member } } }))));

/** Somebody on record is found by name and put into the group. */
const text = ref("");
const found = ref<PersonLine[]>([]);
watch(
  text,
  useDebounceFn(async () => {
    const asked = text.value;
    if (!asked.trim()) return void (found.value = []);
    const answer = await take(api.GET("/api/search", { params: { query: { q: asked } } })).catch(() => null);
    if (answer && asked === text.value) found.value = answer.people.filter((p) => !g.value?.members.some((m) => m.person === p.id));
  }, 80),
);
async function join(person: string) {
  await changed(run(() => take(api.POST("/api/groups/{id}/members", { params: { path: path.value }, body: { id: uuid(), person } }))));
  if (failure.value) return;
  [text.value, found.value] = ["", []];
}

const renaming = ref<string | null>(null);
async function rename() {
  const body = { name: renaming.value ?? "" };
  await changed(run(() => take(api.PUT("/api/groups/{id}", { params: { path: path.value }, body }))));
  if (!failure.value) renaming.value = null;
}
const closing = ref(false);
async function close() {
  const done = await run(async () => {
    await take(api.DELETE("/api/groups/{id}", { params: { path: path.value } }));
    return true;
  });
  if (done) await router.push("/groups");
}

const only = ref("");
const shown = computed(() => g.value!.members.filter((m) => !only.value || m.playing_group === only.value));
</script>

<template>
  <PageState v-if="!g" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <form v-if="renaming !== null" class="rename" @submit.prevent="rename">
        <input v-model="renaming" class="native" aria-label="Name of the group" maxlength="120" />
        <ElButton type="primary" native-type="submit" :loading="busy">Save name</ElButton>
        <button type="button" class="linklike" @click="renaming = null">Cancel</button>
      </form>
      <div v-else>
        <h1>{{ g.name }}</h1>
        <div class="soft">{{ g.members.length }} {{ g.members.length === 1 ? "member" : "members" }}</div>
      </div>
      <span class="grow"></span>
      <ElButton v-if="renaming === null" class="no-print" @click="renaming = g.name">Rename</ElButton>
      <a v-if="g.members.length" class="no-print" :href="`/api/groups/${id}/people.csv`">Export CSV</a>
      <RouterLink v-if="visits?.length" class="no-print" :to="`/groups/${id}/standing`">Results of the group</RouterLink>
      <ElButton size="large" class="no-print" @click="router.push(`/people/list?group=${id}`)">Paste a list</ElButton>
      <ElButton v-if="g.members.length" type="primary" size="large" class="no-print" @click="router.push(`/groups/${id}/visits/new`)"
        >Start a group visit</ElButton
      >
    </div>
    <div class="bar no-print">
      <div class="add">
        <label class="field"
          ><span class="name">Add a client on record</span
          ><input v-model="text" class="native" type="search" autocomplete="off" placeholder="Any part of the name"
        /></label>
        <ul v-if="found.length" class="rows found" aria-label="Found">
          <li v-for="p in found" :key="p.id">
            <button type="button" class="pick" :disabled="busy" @click="join(p.id)">
              <b>{{ p.name }}</b> <span class="soft">{{ [p.age, p.occupation].filter(Boolean).join(" · ") }}</span>
            </button>
          </li>
        </ul>
      </div>
      <label v-if="g.playing_groups.length > 1" class="field"
        ><span class="name">Playing group</span>
        <select v-model="only" class="native">
          <option value="">all</option>
          <option v-for="p in g.playing_groups" :key="p" :value="p">{{ p }}</option>
        </select></label
      >
    </div>
    <FailureNote v-if="!wrongIn" :failure="failure" />

    <table v-if="g.members.length" class="members">
      <thead>
        <tr>
          <th>No.</th>
          <th>Name</th>
          <th>Playing group</th>
          <th>Age</th>
          <th>Last tested</th>
          <th class="no-print"><span class="visually-hidden">Take out</span></th>
        </tr>
      </thead>
      <tbody>
        <tr v-for="m in shown" :key="m.id">
          <td>
            <input
              class="native num number"
              inputmode="numeric"
              maxlength="4"
              :value="m.number ?? ''"
              :aria-label="`Number of ${m.name}`"
              @change="change(m, 'number', ($event.target as HTMLInputElement).value)"
            />
          </td>
          <th scope="row">
            <RouterLink :to="`/people/${m.person}`">{{ m.name }}</RouterLink>
            <span v-if="wrongIn === m.id && failure" class="wrong" role="alert">{{ failure.message }}</span>
          </th>
          <td>
            <input
              class="native playing"
              list="playing-groups"
              maxlength="60"
              :value="m.playing_group ?? ''"
              :aria-label="`Playing group of ${m.name}`"
              @change="change(m, 'playing_group', ($event.target as HTMLInputElement).value)"
            />
          </td>
          <td class="num" data-of="age">{{ m.age ?? "–" }}</td>
          <td class="soft" data-of="last">{{ m.last_on ? dayShort(m.last_on) : "no test yet" }}</td>
          <td class="no-print">
            <button type="button" class="linklike" :aria-label="`Take out ${m.name}`" @click="leave(m.id)">Take out</button>
          </td>
        </tr>
      </tbody>
    </table>
    <p v-else>Nobody is in this group yet. Paste its list, or add clients who are on record.</p>
    <datalist id="playing-groups"><option v-for="p in g.playing_groups" :key="p" :value="p"></option></datalist>

    <FoldSection v-if="visits?.length" title="Group visits" :brief="`${visits.length}`">
      <ul class="rows">
        <li v-for="v in visits" :key="v.id">
          <RouterLink class="row-link" :to="`/group-visits/${v.id}`"
            ><span class="on">{{ dayShort(v.on) }}</span
            ><b>{{ v.battery_name }}</b
            ><span v-if="!v.closed" class="soft">under way</span></RouterLink
          >
        </li>
      </ul>
    </FoldSection>
    <FoldSection v-if="g.former.length" title="Left the group" :brief="`${g.former.length}`">
      <ul class="rows">
        <li v-for="m in g.former" :key="m.id">
          <RouterLink class="row-link" :to="`/people/${m.person}`"
            ><b>{{ m.name }}</b
            ><span class="soft">{{ dayShort(m.joined_on) }} to {{ dayShort(m.left_on!) }}</span></RouterLink
          >
        </li>
      </ul>
    </FoldSection>
    <p class="no-print end">
      <button v-if="!closing" type="button" class="linklike" @click="closing = true">Close this group</button>
      <template v-else>
        The group leaves the lists; its people and their results stay.
        <ElButton :loading="busy" @click="close">Close group</ElButton>
        <button type="button" class="linklike" @click="closing = false">Keep it</button>
      </template>
    </p>
  </div>
</template>

<style scoped>
.rename {
  display: flex;
  gap: 10px;
  align-items: center;
}
.rename .native {
  font-size: 22px;
  height: 48px;
}
.bar {
  display: flex;
  flex-wrap: wrap;
  gap: 12px 26px;
  margin-bottom: 16px;
}
.add {
  position: relative;
  flex: 0 1 340px;
}
.bar .field {
  margin: 0;
}
.bar .native {
  width: 100%;
  height: 44px;
}
.found {
  position: absolute;
  z-index: 5;
  left: 0;
  right: 0;
  background: var(--card);
  border: 1px solid var(--line);
  border-radius: 8px;
  box-shadow: 0 8px 22px rgb(0 0 0 / 12%);
}
.pick {
  width: 100%;
  padding: 10px 12px;
  border: 0;
  background: none;
  font: inherit;
  text-align: left;
  cursor: pointer;
}
.pick:hover,
.pick:focus-visible {
  background: var(--fjord-wash);
}
.members {
  width: 100%;
  border-collapse: collapse;
}
.members thead th {
  text-align: left;
  color: var(--soft);
  font-weight: 500;
  padding: 6px 12px 6px 0;
}
.members td,
.members tbody th {
  border-top: 1px solid var(--line);
  padding: 6px 12px 6px 0;
  text-align: left;
  font-weight: 500;
}
.number {
  width: 72px;
}
.playing {
  width: min(180px, 100%);
}
.members .wrong {
  display: block;
  font-size: 15px;
}
.end {
  margin: 26px 0 0 -6px;
}
@media (max-width: 560px) {
  .members thead {
    display: none;
  }
  .members tr {
    display: grid;
    grid-template-columns: 80px 1fr auto;
    align-items: center;
    border-top: 1px solid var(--line);
    padding: 6px 0;
  }
  .members td,
  .members tbody th {
    border: 0;
    padding: 4px 8px 4px 0;
  }
  .members td:nth-child(3) {
    grid-area: 2 / 1 / 3 / 3;
  }
  .members [data-of] {
    display: none;
  }
}
</style>
