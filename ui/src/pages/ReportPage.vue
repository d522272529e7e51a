<script setup lang="ts">
import { api, take } from "@/api/client";
import GoalLines from "@/components/GoalLines.vue";
import PhotoPair from "@/components/PhotoPair.vue";
import PageState from "@/components/PageState.vue";
import SmallTrend from "@/components/SmallTrend.vue";
import VisitRows from "@/components/VisitRows.vue";
import { dayYear } from "@/logic/dates";
import { useLoad } from "@/composables/useLoad";

/** What a visit taught, for the client who has the link: theirs alone, and only what was chosen for it. */
const props = defineProps<{ token: string }>();
const {
  data: r,
  failure,
  loading,
  reload,
} = useLoad(() => take(api.GET("/api/reports/{token}", { params: { path: { token: props.token } } })));
</script>

<template>
  <main id="main" class="report">
    <PageState v-if="!r" :failure="failure" :loading="loading" @again="reload" />
    <template v-else>
      <h1>{{ r.name }}</h1>
      <p class="soft">{{ r.battery_name }} · {{ dayYear(r.on) }} · {{ r.practice }}</p>
      <div v-if="r.learned" class="lead">
        <p>{{ r.learned.moved }}</p>
        <p v-if="r.learned.strong"><b>Strongest:</b> {{ r.learned.strong }}</p>
        <p v-if="r.learned.holds_back"><b>To work on.</b> {{ r.learned.holds_back }}</p>
      </div>
      <p v-if="r.total" class="total">
        <b class="num">{{ r.total.points }}</b> of {{ r.total.most }} points<template v-if="r.total.level">: {{ r.total.level }}</template>
      </p>
      <VisitRows :rows="r.rows" />
      <p v-if="r.next_on" class="next"><b>Next time:</b> {{ dayYear(r.next_on) }}</p>
      <section v-if="r.lines.length">
        <h2>Over time</h2>
        <div class="many">
          <SmallTrend
            v-for="l in r.lines"
            :key="l.protocol + l.quantity"
            :line="l"
            :from="r.days[0]!"
            :until="r.days.at(-1)!"
            :events="[]"
          />
        </div>
      </section>
      <section v-if="r.goals.length">
        <h2>Your goals</h2>
        <GoalLines :goals="r.goals" />
      </section>
      <section v-if="r.failed.length">
        <h2>Often behind it</h2>
        <ul>
          <li v-for="f in r.failed" :key="f.point">
            <b>{{ f.point }}</b><template v-if="f.often">: often {{ f.often }}</template>
          </li>
        </ul>
        <p class="soft">{{ r.work }}</p>
      </section>
      <PhotoPair v-if="r.photos.length" :days="r.photos" :src="(id) => `/api/reports/${token}/photos/${id}`" :name="r.name" />
      <p class="soft foot">
        A change counts as clear only where it is larger than the test’s measurement error. These are measurements, not a medical finding:
        pain or doubt goes to a doctor. This page opens until {{ dayYear(r.expires_at.slice(0, 10)) }}.
      </p>
    </template>
  </main>
</template>

<style scoped>
.report {
  max-width: 860px;
  margin: 0 auto;
  padding: 28px 20px 48px;
}
.lead {
  margin: 14px 0;
}
.lead p {
  margin: 0 0 6px;
}
.total {
  font-size: 20px;
  margin: 0 0 12px;
}
.total b {
  font-size: 30px;
}
.next {
  margin: 16px 0;
}
.many {
  display: grid;
  grid-template-columns: repeat(auto-fill, minmax(min(100%, 230px), 1fr));
  gap: 20px 26px;
}
h2 {
  margin-top: 22px;
}
.foot {
  margin-top: 28px;
  font-size: 15px;
}
</style>
