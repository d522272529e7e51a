<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { ref } from "vue";
import { useRouter } from "vue-router";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { dayShort } from "@/logic/dates";

/** The practice's groups: squads and classes. */
const router = useRouter();
const { data: groups, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/groups")));
const name = ref("");
const id = uuid();
const { busy, failure, run } = useAction();
async function add() {
  const body = { name: name.value };
  const made = await run(() => take(api.PUT("/api/groups/{id}", { params: { path: { id } }, body })));
  if (made) await router.push(`/groups/${id}`);
}
</script>

<template>
  <PageState v-if="!groups" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <h1>Groups</h1>
      <span class="soft">A squad, a class: people who are tested together</span>
    </div>
    <form class="new" @submit.prevent="add">
      <label class="field"
        ><span class="name">New group</span
        ><input v-model="name" class="native" name="name" maxlength="120" autocomplete="off" placeholder="Squad or class"
      /></label>
      <ElButton type="primary" size="large" native-type="submit" :loading="busy" :disabled="!name.trim()">Add group</ElButton>
    </form>
    <FailureNote :failure="failure" />
    <ul v-if="groups.length" class="rows">
      <li v-for="g in groups" :key="g.id">
        <RouterLink class="row-link" :to="`/groups/${g.id}`">
          <b class="who">{{ g.name }}</b>
          <span class="cell">{{ g.members }} {{ g.members === 1 ? "member" : "members" }}</span>
          <span class="cell soft">{{ g.last_on ? `last tested ${dayShort(g.last_on)}` : "no test yet" }}</span>
        </RouterLink>
      </li>
    </ul>
    <p v-else>No groups yet. Name one, then paste the list of its members.</p>
  </div>
</template>

<style scoped>
.new {
  display: flex;
  flex-wrap: wrap;
  align-items: flex-end;
  gap: 12px;
  margin-bottom: 22px;
}
.new .field {
  margin: 0;
  flex: 0 1 360px;
}
.new .native {
  width: 100%;
  height: 44px;
}
.who {
  flex: 1;
}
.cell {
  width: 210px;
}
@media (max-width: 560px) {
  .cell {
    width: auto;
  }
}
</style>
