<script setup lang="ts">
import { reactive, ref } from "vue";
import { api, take } from "@/api/client";
import type { CoachLine, PracticePage } from "@/api/types";
import { useAction } from "@/composables/useAction";
import { useSession } from "@/stores/session";
import CopyButton from "./CopyButton.vue";
import FailureNote from "./FailureNote.vue";

/** The coaches of the practice, and what its founder can do for them. */
defineProps<{ coaches: CoachLine[] }>();
const emit = defineEmits<{ changed: [page: PracticePage] }>();
const session = useSession();
const coach = reactive({ name: "", email: "", password: "" });
const adding = useAction();
async function add() {
  const next = await adding.run(() => take(api.POST("/api/practice/coaches", { body: coach })));
  if (!next) return;
  emit("changed", next);
  Object.assign(coach, { name: "", email: "", password: "" });
}

type Deed = "link" | "factor" | "remove" | "hand";
/** Words of each dialog: its title, what happens, its key. */
const words: Record<Deed, { title: (name: string) => string; says: (name: string) => string; key: string }> = {
  link: {
    title: (name) => `New password for ${name}`,
    says: (name) => `${name} is signed out everywhere now. The link sets a new password once, within an hour.`,
    key: "Make link",
  },
  factor: {
    title: (name) => `Take off the second factor of ${name}`,
    says: (name) => `${name} is signed out everywhere and signs in with the password alone. Do this only for ${name} in person.`,
    key: "Take off",
  },
  remove: {
    title: (name) => `Remove ${name}`,
    says: (name) => `${name} is signed out at once and cannot sign in again. Their work stays, also what is still open.`,
    key: "Remove",
  },
  hand: {
    title: (name) => `Hand the practice over to ${name}`,
    says: (name) => `${name} is the founder from now on: they add links, remove coaches and hand it on. You stay a coach.`,
    key: "Hand over",
  },
};
const asked = ref<{ deed: Deed; of: CoachLine } | null>(null);
const password = ref("");
const link = ref("");
const doing = useAction();
function ask(deed: Deed, of: CoachLine) {
  [asked.value, password.value, link.value] = [{ deed, of }, "", ""];
  doing.failure.value = null;
}
const deeds: Record<Deed, (id: string) => Promise<PracticePage | null>> = {
  link: async (id) => {
    const { path } = await take(api.POST("/api/practice/coaches/{id}/password-link", { params: { path: { id } } }));
    link.value = `${window.location.origin}${path}`;
    return null;
  },
  factor: async (id) => {
    await take(api.DELETE("/api/practice/coaches/{id}/second-factor", { params: { path: { id } } }));
    return take(api.GET("/api/practice"));
  },
  remove: (id) => take(api.DELETE("/api/practice/coaches/{id}", { params: { path: { id } } })),
  hand: async (id) => {
    const page = await take(api.PUT("/api/practice/founder", { body: { to: id, password: password.value } }));
    session.info = await take(api.GET("/api/session"));
    return page;
  },
};
async function act() {
  const { deed, of } = asked.value!;
  const done = await doing.run(async () => ({ page: await deeds[deed](of.id) }));
  if (!done) return;
  if (done.page) emit("changed", done.page);
  if (!link.value) asked.value = null;
}
</script>

<template>
  <section>
    <ul class="rows">
      <li v-for="c in coaches" :key="c.id" class="row-link coach">
        <span class="who"
          ><b>{{ c.name }}</b
          ><small
            >{{ c.email }}<template v-if="c.second_factor"> · second factor on</template
            ><template v-if="c.is_founder"> · founder of the practice</template></small
          ></span
        >
        <ElDropdown v-if="session.info?.is_founder && !c.is_founder" trigger="click" @command="(deed: Deed) => ask(deed, c)">
          <ElButton :aria-label="`More for ${c.name}`">More</ElButton>
          <template #dropdown>
            <ElDropdownMenu>
              <ElDropdownItem command="link">New password…</ElDropdownItem>
              <ElDropdownItem v-if="c.second_factor" command="factor">Take off second factor…</ElDropdownItem>
              <ElDropdownItem command="hand">Hand the practice over…</ElDropdownItem>
              <ElDropdownItem command="remove" divided>Remove…</ElDropdownItem>
            </ElDropdownMenu>
          </template>
        </ElDropdown>
      </li>
    </ul>
    <details>
      <summary>Add a coach</summary>
      <form class="inner" @submit.prevent="add">
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
        <ElButton native-type="submit" :loading="adding.busy.value">Add coach</ElButton>
      </form>
    </details>
    <ElDialog
      :model-value="asked !== null"
      :title="asked ? words[asked.deed].title(asked.of.name) : ''"
      width="min(480px, 94vw)"
      @update:model-value="asked = null"
    >
      <template v-if="asked && link">
        <p>Give this link to {{ asked.of.name }} and to nobody else. It works once, within an hour, and is not shown again.</p>
        <p class="num link">{{ link }}</p>
        <CopyButton :text="link" />
      </template>
      <form v-else-if="asked" @submit.prevent="act">
        <p>{{ words[asked.deed].says(asked.of.name) }}</p>
        <label v-if="asked.deed === 'hand'" class="field"
          ><span class="name">Your password</span
          ><ElInput v-model="password" name="hand-password" type="password" autocomplete="current-password"
        /></label>
        <FailureNote :failure="doing.failure.value" />
        <ElButton :type="asked.deed === 'remove' ? 'danger' : 'primary'" native-type="submit" :loading="doing.busy.value">{{
          words[asked.deed].key
        }}</ElButton>
      </form>
    </ElDialog>
  </section>
</template>

<style scoped>
.coach {
  justify-content: space-between;
}
.who {
  min-width: 0;
}
small {
  display: block;
  color: var(--soft);
  font-size: 14px;
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
.link {
  overflow-wrap: anywhere;
}
</style>
