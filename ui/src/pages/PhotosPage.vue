<script setup lang="ts">
import { computed, ref } from "vue";
import { api, take } from "@/api/client";
import type { PhotoView } from "@/api/types";
import CameraSheet from "@/components/CameraSheet.vue";
import ConsentBox from "@/components/ConsentBox.vue";
import FailureNote from "@/components/FailureNote.vue";
import PageState from "@/components/PageState.vue";
import PhotoPair from "@/components/PhotoPair.vue";
import { dayName, dayYear } from "@/logic/dates";
import { useAction } from "@/composables/useAction";
import { useLoad } from "@/composables/useLoad";
import { asItIs, chosen } from "@/logic/file";
import { smaller } from "@/logic/photo";

/** Front, left, back and right, of today and of earlier days, two days side by side. */
const props = defineProps<{ id: string }>();
const path = { id: props.id };
const { data: p, failure: lost, loading, reload } = useLoad(() => take(api.GET("/api/people/{id}/photos", { params: { path } })));
const { busy, failure, run } = useAction();
const views: PhotoView[] = ["front", "left", "back", "right"];
const now = computed(() => p.value?.days.find((d) => d.on === p.value?.today));
const before = computed(() => p.value?.days.filter((d) => d.on !== p.value?.today) ?? []);
const of = (view: PhotoView) => now.value?.shots.find((s) => s.view === view);
/** The last one of this view: what to stand like. */
const last = (view: PhotoView) => before.value.flatMap((d) => d.shots).find((s) => s.view === view);
const src = (id: string) => `/api/photos/${id}`;
const camera = ref<PhotoView | null>(null);
async function keep(view: PhotoView, picture: Blob) {
  camera.value = null;
  const body = await smaller(picture);
  const done = await run(() =>
    take(
      api.POST("/api/people/{id}/photos", {
        params: { path, query: { view } },
        ...asItIs(body),
      }),
    ),
  );
  if (done) await reload();
}
function choose(view: PhotoView, event: Event) {
  const file = chosen(event);
  if (file) void keep(view, file);
}
async function remove(id: string) {
  await run(() => take(api.DELETE("/api/photos/{id}", { params: { path: { id } } })));
  await reload();
}
</script>

<template>
  <PageState v-if="!p" :failure="lost" :loading="loading" @again="reload" />
  <div v-else class="page">
    <div class="page-head">
      <div>
        <h1>Photographs</h1>
        <div class="soft">
          <RouterLink :to="`/people/${id}`">{{ p.name }}</RouterLink>
        </div>
      </div>
    </div>
    <p class="lead">
      Ask the client first, and say who sees the photographs: only this practice, unless you include them in a link. Use the same place,
      light and clothes each time, and a plain background. The client stands relaxed, arms at the side, feet hip-width apart.
    </p>
    <ConsentBox :person="id" kind="photographs" />
    <FailureNote :failure="failure" />
    <h2>Today, {{ dayName(p.today) }}</h2>
    <ul class="views">
      <li v-for="view in views" :key="view">
        <b>{{ view }}</b>
        <div class="frame">
          <img v-if="of(view)" :src="src(of(view)!.id)" :alt="`${p.name} from the ${view}, today`" />
          <template v-else-if="last(view)">
            <img class="ghost" :src="src(last(view)!.id)" :alt="`The last picture from the ${view}, faint`" />
            <span class="note">as last time</span>
          </template>
          <span v-else class="note">nothing yet</span>
        </div>
        <div class="keys">
          <ElButton :disabled="busy" @click="camera = view">{{ of(view) ? "Again" : "Take" }}</ElButton>
          <label class="file"
            >Choose a file<input
              class="visually-hidden"
              type="file"
              accept="image/jpeg,image/png,image/webp"
              :aria-label="`Choose a file, ${view}`"
              :disabled="busy"
              @change="choose(view, $event)"
          /></label>
          <button v-if="of(view)" type="button" class="linklike" :aria-label="`Remove ${view}`" @click="remove(of(view)!.id)">
            Remove
          </button>
        </div>
      </li>
    </ul>
    <PhotoPair v-if="p.days.length > 1" :days="p.days" :src="src" :name="p.name" />
    <p v-else-if="before.length" class="soft">
      Last taken on {{ dayYear(before[0]!.on) }}. With today’s there will be two days side by side.
    </p>
    <CameraSheet
      v-if="camera"
      :view="camera"
      :ghost="last(camera) ? src(last(camera)!.id) : undefined"
      @taken="keep(camera, $event)"
      @close="camera = null"
    />
  </div>
</template>

<style scoped>
.views {
  list-style: none;
  margin: 8px 0 28px;
  padding: 0;
  display: grid;
  grid-template-columns: repeat(auto-fit, minmax(210px, 1fr));
  gap: 20px;
}
.views b {
  text-transform: capitalize;
}
.frame {
  position: relative;
  height: 280px;
  margin: 6px 0 8px;
  border: 1px solid var(--line);
  background: var(--card);
  display: grid;
  place-items: center;
}
.frame img {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
.frame .ghost {
  opacity: 0.3;
}
.note {
  position: relative;
  color: var(--soft);
  background: var(--card);
  padding: 2px 10px;
}
.keys {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
}
.file {
  color: var(--fjord);
  text-decoration: underline;
  cursor: pointer;
  min-height: 40px;
  display: inline-flex;
  align-items: center;
}
.file:focus-within {
  outline: 3px solid var(--fjord);
  outline-offset: 2px;
}
</style>
