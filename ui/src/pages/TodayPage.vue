<script setup lang="ts">
import { defineAsyncComponent } from "vue";
import { api, take } from "@/api/client";
import DueRow from "@/components/DueRow.vue";
import PageState from "@/components/PageState.vue";
import { dayName, dayShort } from "@/logic/dates";
import { useLoad } from "@/composables/useLoad";

const { data: day, failure, loading, reload } = useLoad(() => take(api.GET("/api/today")));

/** Only where somebody is made up or nobody is here yet. */
const MadeUpClients = defineAsyncComponent(() => import("@/components/MadeUpClients.vue"));
</script>

<template>
  <PageState v-if="!day" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>{{ dayName(day.today) }}</h1>
      </div>
      <span class="grow"></span>
      <RouterLink class="add" to="/people/new">New client <kbd>n</kbd></RouterLink>
    </div>
    <p class="lead">{{ day.sentence }}</p>
    <MadeUpClients v-if="day.made_up" :here="day.made_up" @changed="reload" />

    <RouterLink v-if="day.from_afar" class="box afar" to="/from-afar"
      ><span
        ><b>{{ day.from_afar }}</b> {{ day.from_afar === "1" ? "result" : "results" }} from afar
        {{ day.from_afar === "1" ? "waits" : "wait" }} for you</span
      ><span class="to">Look at {{ day.from_afar === "1" ? "it" : "them" }}</span></RouterLink
    >
    <section v-if="day.open_runs.length" class="open">
      <RouterLink v-for="run in day.open_runs" :key="run.id" class="box live" :to="`/runs/${run.id}`">
        <span
          ><b>{{ run.name }}</b> · {{ run.protocol_name }} is open</span
        ><span class="to">Go back to it</span>
      </RouterLink>
      <p v-if="day.more.open_runs" class="soft">More tests are open than are shown here; the oldest are left out.</p>
    </section>

    <div class="two">
      <div>
        <section v-if="day.due.length">
          <h2>Due today</h2>
          <ul class="rows">
            <li v-for="line in day.due" :key="line.id"><DueRow :line="line" tone="now" /></li>
          </ul>
          <RouterLink v-if="day.more.due" class="rest" to="/retests">and {{ day.more.due }} more due today</RouterLink>
        </section>
        <section v-if="day.open_group_visits.length">
          <h2>Group visits under way</h2>
          <ul class="rows">
            <li v-for="v in day.open_group_visits" :key="v.id">
              <RouterLink class="row-link visit" :to="`/group-visits/${v.id}`">
                <b>{{ v.group_name }}</b><span class="soft"
                  >{{ v.battery_name }}<template v-if="v.on !== day.today">, since {{ dayShort(v.on) }}</template></span
                >
              </RouterLink>
            </li>
          </ul>
        </section>
        <section v-if="day.open_visits.length">
          <h2>Visits under way</h2>
          <ul class="rows">
            <li v-for="v in day.open_visits" :key="v.id">
              <RouterLink class="row-link visit" :to="`/visits/${v.id}/floor`">
                <span class="on">{{ v.on === day.today ? "today" : dayShort(v.on) }}</span>
                <span class="what">{{ v.name }}</span>
                <span class="got">{{ v.battery_name }}</span>
              </RouterLink>
            </li>
          </ul>
          <p v-if="day.more.open_visits" class="soft">
            More visits are open than these {{ day.open_visits.length }}; the oldest are left out.
          </p>
        </section>
        <section v-if="day.late.length">
          <h2>Late</h2>
          <ul class="rows">
            <li v-for="line in day.late" :key="line.id"><DueRow :line="line" tone="late" /></li>
          </ul>
          <RouterLink v-if="day.more.late" class="rest" to="/retests">and {{ day.more.late }} more late</RouterLink>
        </section>
        <section v-if="day.soon.length">
          <h2>The next seven days</h2>
          <ul class="rows">
            <li v-for="line in day.soon" :key="line.id"><DueRow :line="line" tone="soon" /></li>
          </ul>
          <RouterLink v-if="day.more.soon" class="rest" to="/retests">and {{ day.more.soon }} more in the next seven days</RouterLink>
        </section>
        <section v-if="day.people === 0" class="begin">
          <h2>Three steps</h2>
          <ol>
            <li>
              <RouterLink to="/people/new">Add a client</RouterLink>: a name and a birth date are enough. Or
              <RouterLink to="/people/list">paste a list</RouterLink>.
            </li>
            <li>Choose a <RouterLink to="/batteries">battery</RouterLink> or one of the <RouterLink to="/tests">tests</RouterLink>.</li>
            <li>
              Or practise first: a <RouterLink to="/rehearsals/new">rehearsal</RouterLink> runs a test with a simulated client and tells you
              how close you came.
            </li>
          </ol>
          <RouterLink class="add" to="/people/new">Add your first client</RouterLink>
          <MadeUpClients :here="0" @changed="reload" />
        </section>
        <section v-else-if="!day.due.length && !day.late.length && !day.soon.length">
          <p>
            A retest appears here on its day. Plan one from any result. To test somebody now, press <kbd>/</kbd> and type two letters of the
            name.
          </p>
        </section>
      </div>
      <aside v-if="day.stopped.length || day.set_up.length">
        <template v-if="day.stopped.length">
          <h2>Needs attention</h2>
          <RouterLink v-for="stop in day.stopped" :key="stop.result" class="box care look" :to="`/results/${stop.result}`">
            <b>{{ stop.name }}</b>
            <span>{{ stop.protocol_name }}, {{ dayShort(stop.on) }}</span>
            <span>{{ stop.sentence }}</span>
            <span v-if="stop.note" class="soft">{{ stop.note }}</span>
          </RouterLink>
          <p v-if="day.more.stopped" class="soft">More tests were stopped early than are shown here; each client’s page has its own.</p>
        </template>
        <section v-if="day.set_up.length">
          <h2>Equipment for today</h2>
          <ul class="equipment">
            <li v-for="s in day.set_up" :key="s.what">
              <b>{{ s.what }}</b> <span class="soft">{{ s.people.join(", ") }}</span>
              <small v-for="d in s.details" :key="d" class="soft">{{ d }}</small>
            </li>
          </ul>
        </section>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.visit {
  display: grid;
  grid-template-columns: minmax(0, 1fr) auto auto;
  gap: 24px;
  min-height: 56px;
  align-items: center;
}
.visit .what {
  order: -1;
  font-weight: 600;
}
.visit .on {
  order: 1;
  color: var(--soft);
}
.equipment {
  list-style: none;
  margin: 0;
  padding: 0;
}
.equipment li {
  break-inside: avoid;
  padding: 5px 0;
  line-height: 1.35;
}
.equipment small {
  display: block;
  font-size: 15px;
}
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 300px;
  gap: 36px;
  margin-top: 26px;
}
section {
  margin-bottom: 28px;
}
.add {
  border: 1px solid var(--fjord);
  border-radius: 8px;
  padding: 10px 16px;
  font-weight: 600;
  text-decoration: none;
  display: inline-block;
}
.afar {
  display: flex;
  justify-content: space-between;
  gap: 16px;
  border-left: 5px solid var(--fjord);
  margin-bottom: 18px;
  color: var(--ink);
  text-decoration: none;
}
.open {
  margin: 18px 0 0;
  display: grid;
  gap: 8px;
}
.rest {
  display: inline-block;
  padding: 12px 0;
}
.live {
  border-left: 5px solid var(--ember);
  background: var(--ember-wash);
  color: var(--ink);
  text-decoration: none;
  display: flex;
  justify-content: space-between;
  gap: 16px;
}
.to {
  text-decoration: underline;
  text-underline-offset: 3px;
}
.look {
  display: flex;
  flex-direction: column;
  color: var(--ink);
  text-decoration: none;
  margin-bottom: 12px;
  line-height: 1.4;
}
@media (max-width: 980px) {
  .two {
    grid-template-columns: 1fr;
    gap: 0;
  }
}
</style>
