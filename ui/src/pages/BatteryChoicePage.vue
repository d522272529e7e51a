<script setup lang="ts">
import { computed } from "vue";
import { api, take } from "@/api/client";
import type { BatteryForClient } from "@/api/types";
import BatteryHead from "@/components/BatteryHead.vue";
import PageState from "@/components/PageState.vue";
import PictureBox from "@/components/PictureBox.vue";
import { dayShort } from "@/logic/dates";
import { useLoad } from "@/composables/useLoad";

/** Which battery a visit is to be: three to begin with, then all of them, each with its figures, what it needs and how long it takes. */
const props = defineProps<{ id: string }>();
const path = { id: props.id };
const { data: list, failure, loading, reload } = useLoad(() => take(api.GET("/api/people/{id}/batteries", { params: { path } })));
const first = computed(() => (list.value ?? []).filter((b) => b.suggested));
const rest = computed(() => (list.value ?? []).filter((b) => !b.suggested));
const to = (b: BatteryForClient) => `/people/${props.id}/visits/new?battery=${b.battery.id}`;
const length = (b: BatteryForClient) => (b.battery.window_min ? `window of ${b.battery.window_min} min` : `about ${b.minutes} min`);
const before = (b: BatteryForClient) =>
  [b.last_on && `last done ${dayShort(b.last_on)}${b.times > 1 ? `, ${b.times} visits` : ""}`, b.due && `due ${b.due}`]
    .filter(Boolean)
    .join(" · ");
</script>

<template>
  <div class="page">
    <h1>Which battery?</h1>
    <PageState v-if="!list" :failure="failure" :loading="loading" @again="reload" />
    <template v-else>
      <section v-for="part in [first, rest]" :key="part === first ? 'first' : 'rest'">
        <template v-if="part.length">
          <h2>{{ part === first ? "Suggested" : "All others" }}</h2>
          <ul :class="{ large: part === first }">
            <li v-for="b in part" :key="b.battery.id">
              <RouterLink :to="to(b)">
                <BatteryHead :name="b.battery.name">{{ b.names.length }} tests, {{ length(b) }}</BatteryHead>
                <span v-if="b.suggested" class="why">{{ b.suggested }}</span>
                <span class="figures">
                  <PictureBox v-for="(d, k) in b.drawings" :key="k" :drawing="d" small />
                </span>
                <span class="names">{{ b.names.join(b.battery.window_min ? ", " : " → ") }}</span>
                <span v-if="b.needs.length" class="soft">Needs {{ b.needs.join(", ") }}.</span>
                <span v-if="before(b) && !b.suggested" class="soft">{{ before(b) }}</span>
              </RouterLink>
            </li>
          </ul>
        </template>
      </section>
    </template>
  </div>
</template>

<style scoped>
h1 {
  margin-bottom: 14px;
}
section + section {
  margin-top: 26px;
}
ul {
  list-style: none;
  padding: 0;
  margin: 0;
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 330px), 1fr));
  gap: 14px;
}
a {
  display: flex;
  flex-direction: column;
  gap: 6px;
  height: 100%;
  padding: 14px 16px;
  border: 1px solid var(--line);
  border-radius: 10px;
  background: var(--card);
  color: var(--ink);
  text-decoration: none;
  line-height: 1.35;
}
.large a {
  border-color: var(--fjord);
}
a:hover,
a:focus-visible {
  background: var(--fjord-wash);
}
.why {
  font-weight: 600;
  color: var(--fjord);
}
.figures {
  display: flex;
  gap: 2px;
  overflow: hidden;
}
.figures :deep(figure) {
  flex: 0 1 66px;
  min-width: 0;
}
.names {
  font-size: 15px;
}
.soft {
  font-size: 15px;
}
</style>
