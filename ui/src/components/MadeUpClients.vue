<script setup lang="ts">
import { ref } from "vue";
import { api, take } from "@/api/client";
import FailureNote from "@/components/FailureNote.vue";
import { useAction } from "@/composables/useAction";

/** Made-up clients to look around with: loading them, and removing them again. */
defineProps<{ here: number }>();
const emit = defineEmits<{ changed: [] }>();
const { busy, failure, run } = useAction();
const removing = ref(false);
async function load() {
  if (await run(() => take(api.POST("/api/practice/made-up")))) emit("changed");
}
async function remove() {
  const done = await run(async () => {
    await take(api.DELETE("/api/practice/made-up"));
    return true;
  });
  if (!done) return;
  removing.value = false;
  emit("changed");
}
</script>

<template>
  <div v-if="here" class="here">
    {{ here }} of your clients are made up, to look around.
    <button v-if="!removing" type="button" class="linklike" @click="removing = true">Remove them</button>
    <template v-else>
      Remove them with all their results?
      <ElButton type="primary" :loading="busy" @click="remove">Remove {{ here }} made-up clients</ElButton>
      <ElButton @click="removing = false">Cancel</ElButton>
    </template>
    <FailureNote :failure="failure" />
  </div>
  <div v-else class="offer">
    <ElButton :loading="busy" @click="load">Look around with made-up clients</ElButton>
    <span class="soft">They bring four years of results and can be removed again, all at once.</span>
    <FailureNote :failure="failure" />
  </div>
</template>

<style scoped>
.here {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 6px 14px;
  margin-top: 14px;
  padding: 8px 14px;
  border-radius: 8px;
  background: var(--ochre-wash);
}
.offer {
  display: flex;
  flex-wrap: wrap;
  align-items: center;
  gap: 8px 14px;
  margin-top: 14px;
}
</style>
