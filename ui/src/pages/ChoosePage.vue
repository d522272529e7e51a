<script setup lang="ts">
import { api, take } from "@/api/client";
import PageState from "@/components/PageState.vue";
import { useLoad } from "@/composables/useLoad";

const props = defineProps<{ id: string }>();
const { data: p, failure, loading, reload } = useLoad(() => take(api.GET("/api/people/{id}", { params: { path: { id: props.id } } })));
const words = { suits: "suits", better_choice: "another suits better", unsuited: "does not suit" } as const;
</script>

<template>
  <PageState v-if="!p" :failure="failure" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>Which test?</h1>
        <div class="soft">{{ p.form.name }} · {{ p.age }}</div>
      </div>
    </div>
    <div v-if="!p.readiness?.is_today" class="box care first">
      <p>Readiness has not been asked today.</p>
      <RouterLink :to="`/people/${id}/readiness`">Ask now</RouterLink>, it takes a minute.
    </div>
    <p v-else class="lead">{{ p.readiness.advice.headline }}</p>
    <ul class="rows">
      <li v-for="fit in p.fits" :key="fit.protocol">
        <div class="row-link">
          <span class="mark" :class="fit.verdict" aria-hidden="true">{{
            { suits: "●", better_choice: "◐", unsuited: "✕" }[fit.verdict]
          }}</span>
          <span class="what"
            ><b>{{ fit.name }}</b> <i>{{ words[fit.verdict] }}</i><small>{{ fit.because }}</small></span
          >
          <RouterLink class="go" :class="{ main: fit.verdict === 'suits' }" :to="`/people/${id}/assess/${fit.protocol}`">{{
            fit.verdict === "suits" ? "Set up" : "Use it all the same"
          }}</RouterLink>
        </div>
      </li>
    </ul>
    <p v-if="p.fits.every((f) => f.verdict === 'unsuited')" class="box stop none">
      None of these tests suits today. Leave it, and note what the client tells you.
    </p>
  </div>
</template>

<style scoped>
.first {
  margin-bottom: 18px;
}
.lead {
  margin-bottom: 18px;
}
.what {
  flex: 1;
  line-height: 1.4;
}
.what b {
  font-size: 18px;
}
.what i {
  font-style: normal;
  color: var(--soft);
  margin-left: 8px;
}
small {
  display: block;
  font-size: 16px;
  color: var(--soft);
  max-width: 70ch;
}
.mark {
  font-size: 22px;
  width: 26px;
  text-align: center;
}
.mark.suits {
  color: var(--fjord);
}
.mark.better_choice {
  color: var(--ochre);
}
.mark.unsuited {
  color: var(--madder);
}
.go {
  border: 1px solid var(--fjord);
  border-radius: 8px;
  padding: 11px 18px;
  font-weight: 600;
  text-decoration: none;
  white-space: nowrap;
}
.go.main {
  background: var(--fjord);
  color: var(--on-fjord);
}
.none {
  margin-top: 18px;
}
@media (max-width: 640px) {
  .row-link {
    flex-wrap: wrap;
  }
  .what {
    flex-basis: calc(100% - 60px);
  }
  .go {
    margin-left: 42px;
  }
}
</style>
