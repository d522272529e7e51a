<script setup lang="ts">
import { reactive, ref, watch } from "vue";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { useSession } from "@/stores/session";

const session = useSession();
const { data: page, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/practice")));
const form = reactive({ name: "", time_zone: "" });
watch(page, (p) => p && Object.assign(form, { name: p.name, time_zone: p.time_zone }));
const saving = useAction();
const saved = ref(false);
async function save() {
  const next = await saving.run(() => take(api.PUT("/api/practice", { body: form })));
  if (!next) return;
  page.value = next;
  saved.value = true;
  session.info = await take(api.GET("/api/session"));
}
const coach = reactive({ name: "", email: "", password: "" });
const adding = useAction();
async function add() {
  const next = await adding.run(() => take(api.POST("/api/practice/coaches", { body: coach })));
  if (!next) return;
  page.value = next;
  Object.assign(coach, { name: "", email: "", password: "" });
}
const when = new Intl.DateTimeFormat("en-GB", { day: "numeric", month: "short", hour: "2-digit", minute: "2-digit" });
const said: Record<string, string> = {
  "person.added": "added a client",
  "person.changed": "changed a client",
  "readiness.kept": "kept a readiness check",
  "readiness.overruled": "overruled a readiness advice",
  "run.set_up": "set up a test",
  "result.kept": "kept a result",
  "retest.planned": "planned retests",
  "retest.skipped": "skipped a retest",
  "retest.unskipped": "took a skip back",
  "practice.changed": "changed the practice",
  "coach.added": "added a coach",
};
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
              >Decides which day it is: when a retest is due, how old a client is.</span
            ></label
          >
          <FailureNote :failure="saving.failure.value" />
          <div class="actions">
            <ElButton type="primary" native-type="submit" :loading="saving.busy.value">Save</ElButton
            ><span v-if="saved" role="status">Saved.</span>
          </div>
        </form>
        <h2 class="gap">Coaches</h2>
        <ul class="rows">
          <li v-for="c in page.coaches" :key="c.email" class="row-link">
            <b>{{ c.name }}</b><span class="soft">{{ c.email }}</span>
          </li>
        </ul>
        <form class="add" @submit.prevent="add">
          <h2>Add a coach</h2>
          <label class="field"><span class="name">Name</span><ElInput v-model="coach.name" autocomplete="off" /></label>
          <label class="field"
            ><span class="name">Email address</span><ElInput v-model="coach.email" type="email" autocomplete="off"
          /></label>
          <label class="field"
            ><span class="name">First password</span><ElInput v-model="coach.password" type="password" autocomplete="new-password" /><span
              class="hint"
              >10 characters or more.</span
            ></label
          >
          <FailureNote :failure="adding.failure.value" />
          <ElButton native-type="submit" :loading="adding.busy.value">Add</ElButton>
        </form>
      </div>
      <aside>
        <h2>Who did what</h2>
        <p v-if="!page.audit.length" class="soft">Nothing yet.</p>
        <ul class="rows">
          <li v-for="(a, k) in page.audit" :key="k" class="audit">
            <span class="soft num">{{ when.format(new Date(a.at)) }}</span><span
              >{{ a.coach ?? "Someone" }} {{ said[a.action] ?? a.action }}</span
            >
          </li>
        </ul>
      </aside>
    </div>
  </div>
</template>

<style scoped>
.two {
  display: grid;
  grid-template-columns: minmax(0, 1fr) 380px;
  gap: 48px;
}
.gap {
  margin-top: 30px;
}
.add {
  margin-top: 26px;
}
.audit {
  display: flex;
  gap: 14px;
  padding: 8px 4px;
  font-size: 15px;
}
@media (max-width: 900px) {
  .two {
    grid-template-columns: 1fr;
  }
}
</style>
