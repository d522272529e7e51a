<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { GroupSelfLinks, GroupVisitPage } from "@/api/types";
import CopyButton from "@/components/CopyButton.vue";
import FailureNote from "@/components/FailureNote.vue";
import FoldSection from "@/components/FoldSection.vue";
import { useAction } from "@/composables/useAction";

/** Links for those of a group who are not in the hall: each tests alone and types the results on a page of their own. */
const props = defineProps<{ visit: GroupVisitPage }>();
const emit = defineEmits<{ made: [] }>();
const away = computed(() =>
  props.visit.roll.filter((l) => l.member && (l.presence == null || l.presence === "absent") && l.done < props.visit.tests.length),
);
const left = ref<Set<string>>(new Set());
const chosen = computed(() => away.value.filter((l) => !left.value.has(l.person)).map((l) => l.person));
const { busy, failure, run } = useAction();
const open = ref(false);
const links = ref<GroupSelfLinks | null>(null);
const address = (path: string) => new URL(path, window.location.origin).href;
function tick(person: string) {
  const next = new Set(left.value);
  if (!next.delete(person)) next.add(person);
  left.value = next;
}
async function make() {
  const path = { id: props.visit.id };
  const made = await run(() => take(api.POST("/api/group-visits/{id}/self-links", { params: { path }, body: { people: chosen.value } })));
  if (!made) return;
  links.value = made;
  emit("made");
}
const lines = computed(() => links.value?.made.map((l) => `${l.name}\t${address(l.path)}`).join("\n") ?? "");
</script>

<template>
  <FoldSection v-if="away.length || links" title="From afar" :brief="`${away.length} not here`" class="no-print">
    <button v-if="!open && !links" type="button" class="linklike" @click="open = true">Make links for those who test alone</button>
    <form v-else-if="away.length && !links" @submit.prevent="make">
      <p class="soft small">
        A link lets each of them test alone and type the results. Who was not called yet counts as absent. The results wait for you.
      </p>
      <label v-for="l in away" :key="l.person"
        ><input type="checkbox" :checked="!left.has(l.person)" @change="tick(l.person)" /> {{ l.name }}</label
      >
      <FailureNote :failure="failure" />
      <ElButton native-type="submit" :loading="busy" :disabled="!chosen.length"
        >Make {{ chosen.length === 1 ? "1 link" : `${chosen.length} links` }}</ElButton
      >
    </form>
    <template v-if="links">
      <p v-for="n in links.not_made" :key="n.person" class="wrong">{{ n.name }}: {{ n.why }}</p>
      <ul v-if="links.made.length">
        <li v-for="l in links.made" :key="l.person">
          {{ l.name }} <a :href="address(l.path)">{{ address(l.path) }}</a>
        </li>
      </ul>
      <p v-if="links.made.length" class="small" role="status">
        <CopyButton :text="lines" words="Copy all" />
        <button type="button" class="linklike" @click="((links = null), (open = false))">Done</button>
        <span class="soft">These links are shown only once.</span>
      </p>
    </template>
  </FoldSection>
</template>

<style scoped>
form {
  display: grid;
  gap: 4px;
  justify-items: start;
}
label {
  min-height: 32px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 10px 0;
}
li {
  overflow-wrap: anywhere;
  font-size: 15px;
  margin-bottom: 6px;
}
p {
  margin: 4px 0;
}
.small {
  font-size: 15px;
}
</style>
