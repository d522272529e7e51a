<script setup lang="ts">
import { computed, reactive, ref, watch } from "vue";
import { api, take } from "@/api/client";
import type { AuditLine } from "@/api/types";
import CoachesBox from "@/components/CoachesBox.vue";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import SecondFactorBox from "@/components/SecondFactorBox.vue";
import DateField from "@/components/fields/DateField.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { asItIs, chosen } from "@/logic/file";
import { useSession } from "@/stores/session";

const session = useSession();
const { data: page, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/practice")));
const form = reactive({
  name: "",
  time_zone: "",
  mass_weeks: 8,
  month_first: false,
  second_factor_required: false,
  consent_required: false,
});
watch(page, (p) => {
  if (!p) return;
  const { name, time_zone, mass_weeks, month_first, second_factor_required, consent_required } = p;
  Object.assign(form, { name, time_zone, mass_weeks, month_first, second_factor_required, consent_required });
});
const saving = useAction();
const saved = ref(false);
async function save() {
  const next = await saving.run(() => take(api.PUT("/api/practice", { body: form })));
  if (!next) return;
  page.value = next;
  saved.value = true;
  session.info = await take(api.GET("/api/session"));
}
const taking = useAction();
const taken = ref("");
async function takeIn(event: Event) {
  const file = chosen(event);
  if (!file) return;
  taken.value = "";
  const done = await taking.run(() => take(api.POST("/api/practice/import", asItIs(file))));
  if (!done) return;
  const clients = done.people === 1 ? "1 client" : `${done.people} clients`;
  const photos = done.photos ? ` and ${done.photos} photographs` : "";
  taken.value = `Imported ${clients}${photos}${done.identical ? ", exactly as in the file" : ""}.`;
  reload();
}

/** What does not fit, by table, row and field, where the file was refused for more than one thing. */
interface Fault {
  table: string;
  row: number;
  field?: string;
  why: string;
}
const faults = computed(() => {
  const all = (taking.failure.value?.detail as { faults?: Fault[] } | undefined)?.faults ?? [];
  return all.length > 1 ? all : [];
});

const own = reactive({ current: "", new: "" });
const changing = useAction();
const changed = ref("");
async function change() {
  const done = await changing.run(async () => {
    await take(api.PUT("/api/session/password", { body: own }));
    return true;
  });
  if (!done) return;
  Object.assign(own, { current: "", new: "" });
  changed.value = "Changed. Every other screen of yours is signed out.";
}
async function endOthers() {
  const done = await changing.run(async () => {
    await take(api.DELETE("/api/session/others"));
    return true;
  });
  if (done) changed.value = "Every other screen of yours is signed out.";
}

/** The activity log: its filters, and the pages behind the first. */
const asked = reactive({ coach: "", day: "", person: "" });
const lines = ref<AuditLine[]>([]);
const next = ref<string | null>(null);
const looking = useAction();
watch(page, (p) => p && !filtered.value && ([lines.value, next.value] = [p.audit.lines, p.audit.next ?? null]));
const filtered = computed(() => Object.values(asked).some(Boolean));
async function look(before?: string) {
  const query = Object.fromEntries(Object.entries({ ...asked, before }).filter(([, v]) => v));
  const found = await looking.run(() => take(api.GET("/api/practice/audit", { params: { query } })));
  if (!found) return;
  lines.value = before ? [...lines.value, ...found.lines] : found.lines;
  next.value = found.next ?? null;
}
watch(asked, () => void look());
const only = computed(() => lines.value.find((l) => l.person === asked.person)?.person_name ?? "one client");
const when = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
</script>

<template>
  <PageState v-if="!page" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head"><h1>Practice</h1></div>
    <div class="two">
      <div>
        <form @submit.prevent="save">
          <label class="field"><span class="name">Name</span><ElInput v-model="form.name" @input="saved = false" /></label>
          <label class="field"
            ><span class="name">Time zone</span><ElInput v-model="form.time_zone" @input="saved = false" /><span class="hint"
              >It decides which day it is, and so when a retest is due and how old a client is.</span
            ></label
          >
          <label class="field"
            ><span class="name">Ask for the body mass again after</span
            ><ElInput v-model.number="form.mass_weeks" name="mass_weeks" inputmode="numeric" class="weeks" @input="saved = false"
              ><template #append>weeks</template></ElInput
            ><span class="hint">Counted from the last weighing. Some results depend on the body mass.</span></label
          >
          <fieldset class="field">
            <legend class="name">Dates are typed</legend>
            <ElRadioGroup v-model="form.month_first" aria-label="Dates are typed" @change="saved = false">
              <ElRadioButton :value="false">31/12, day first</ElRadioButton>
              <ElRadioButton :value="true">12/31, month first</ElRadioButton>
            </ElRadioGroup>
          </fieldset>
          <fieldset class="field">
            <legend class="name">Required</legend>
            <ElCheckbox v-model="form.consent_required" @change="saved = false"
              >Clients agree before a test, a result or a photograph</ElCheckbox
            >
            <ElCheckbox v-model="form.second_factor_required" :disabled="!session.info?.is_founder" @change="saved = false"
              >Every coach uses a second factor<template v-if="!session.info?.is_founder"> (the founder decides)</template></ElCheckbox
            >
          </fieldset>
          <FailureNote :failure="saving.failure.value" />
          <div class="actions">
            <ElButton type="primary" native-type="submit" :loading="saving.busy.value">Save</ElButton
            ><span v-if="saved" role="status">Saved.</span>
          </div>
        </form>
        <h2 class="gap">Export and import</h2>
        <p class="outs">
          <a href="/api/practice/export" download>Export practice (ZIP)</a>
          <a href="/api/practice/measures.csv" download>Export all results (CSV)</a>
          <label class="linklike take" :class="{ off: taking.busy.value }"
            >Import a practice<input
              class="visually-hidden"
              type="file"
              accept=".zip,application/zip,.json,application/json"
              :disabled="taking.busy.value"
              @change="takeIn"
          /></label>
        </p>
        <p class="soft">An import needs a practice without any clients or tests. Either the whole file is imported or nothing.</p>
        <p v-if="taking.busy.value" role="status">Reading and checking the file…</p>
        <p v-if="taken" role="status">{{ taken }}</p>
        <FailureNote :failure="taking.failure.value" />
        <ul v-if="faults.length" class="faults">
          <li v-for="(f, k) in faults" :key="k">
            <b
              >{{ f.table }}<template v-if="f.row">, row {{ f.row }}</template
              ><template v-if="f.field">, {{ f.field }}</template></b
            >
            {{ f.why }}
          </li>
        </ul>
        <template v-if="page.set_aside.length">
          <h2 class="gap">Set aside</h2>
          <p class="soft">
            These can’t be read any more and are left out everywhere. Nothing else is affected. Tell whoever runs the server.
          </p>
          <ul class="faults">
            <li v-for="s in page.set_aside" :key="s.kind + s.key">
              <b>{{ s.kind }} {{ s.key }}</b> {{ s.why }}
            </li>
          </ul>
          <p v-if="page.more_set_aside" class="soft">There are more than these; the server’s log names all of them.</p>
        </template>
        <h2 class="gap">Coaches</h2>
        <CoachesBox :coaches="page.coaches" @changed="page = $event" />
        <h2 class="gap">Your own sign-in</h2>
        <p v-if="changed" role="status">{{ changed }}</p>
        <details>
          <summary>Change your password</summary>
          <form class="inner" @submit.prevent="change">
            <label class="field"
              ><span class="name">Present password</span><ElInput v-model="own.current" type="password" autocomplete="current-password"
            /></label>
            <label class="field"
              ><span class="name">New password</span><ElInput v-model="own.new" type="password" autocomplete="new-password" /><span
                class="hint"
                >10 characters or more. Every other screen of yours is signed out.</span
              ></label
            >
            <ElButton native-type="submit" :loading="changing.busy.value">Change it</ElButton>
          </form>
        </details>
        <button type="button" class="plain" :disabled="changing.busy.value" @click="endOthers">Sign out everywhere else</button>
        <FailureNote :failure="changing.failure.value" />
        <h2 class="gap">Your second factor</h2>
        <SecondFactorBox @on="reload" />
      </div>
      <aside>
        <h2>Activity log</h2>
        <div class="filters">
          <ElSelect v-model="asked.coach" size="large" placeholder="Any coach" clearable aria-label="Coach" :value-on-clear="''">
            <ElOption v-for="c in page.coaches" :key="c.id" :label="c.name" :value="c.id" />
          </ElSelect>
          <DateField v-model="asked.day" aria-label="Day" />
          <button v-if="asked.person" type="button" class="plain" @click="asked.person = ''">{{ only }} only ×</button>
        </div>
        <FailureNote :failure="looking.failure.value" />
        <p v-if="!lines.length" class="soft">{{ filtered ? "Nothing matches this choice." : "Nothing yet." }}</p>
        <ul class="rows">
          <li v-for="a in lines" :key="a.id" class="audit">
            <span class="soft num">{{ when.format(new Date(a.at)) }}</span>
            <span class="entry">
              <button v-if="a.person_name" type="button" class="name" @click="asked.person = a.person!">{{ a.person_name }}</button>
              <span>
                {{ a.coach ?? "Someone" }}
                <RouterLink v-if="a.link" :to="a.link">{{ a.did }}</RouterLink>
                <template v-else>{{ a.did }}</template><template v-if="a.test">, {{ a.test }}</template>
              </span>
              <small v-if="a.reason">“{{ a.reason }}”</small>
            </span>
          </li>
        </ul>
        <button v-if="next" type="button" class="plain" :disabled="looking.busy.value" @click="look(next)">Show older</button>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.weeks {
  max-width: 180px;
}
.outs {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 22px;
}
.take {
  display: inline-flex;
  align-items: center;
}
.take.off {
  opacity: 0.5;
}
.faults {
  margin: 8px 0 16px;
  padding-left: 18px;
  font-size: 15px;
  line-height: 1.5;
  overflow-wrap: anywhere;
}
.take:focus-within {
  outline: 3px solid var(--fjord);
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) minmax(0, 460px);
  gap: 48px;
}
.gap {
  margin-top: 30px;
}
small {
  display: block;
  color: var(--soft);
  font-size: 14px;
}
.field :deep(.el-checkbox) {
  display: flex;
  height: auto;
  min-height: 40px;
  white-space: normal;
}
details {
  margin: 10px 0;
}
summary {
  cursor: pointer;
  color: var(--fjord);
  font-weight: 600;
  padding: 10px 0;
}
.inner {
  padding: 6px 0 16px;
  max-width: 460px;
}
.plain {
  font: 600 16px var(--text);
  min-height: 44px;
  padding: 8px 14px;
  border: 1px solid var(--line);
  border-radius: 8px;
  background: none;
  color: var(--ink);
  cursor: pointer;
}
.filters {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  margin-bottom: 8px;
}
.filters > :first-child,
.filters > :nth-child(2) {
  width: 180px;
}
.audit {
  display: flex;
  gap: 14px;
  padding: 9px 4px;
  font-size: 15px;
}
.audit .num {
  white-space: nowrap;
}
.entry {
  min-width: 0;
  display: grid;
  justify-items: start;
  line-height: 1.4;
}
.audit .name {
  font: inherit;
  font-weight: 600;
  padding: 0;
  border: 0;
  background: none;
  color: var(--ink);
  cursor: pointer;
  text-decoration: underline dotted;
  text-underline-offset: 3px;
}
@media (max-width: 980px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
