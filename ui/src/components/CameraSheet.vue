<script setup lang="ts">
import { onBeforeUnmount, onMounted, ref } from "vue";
import { shot } from "@/logic/photo";

/** The camera, with the last picture of the same view as a faint ghost to stand alike. */
defineProps<{ view: string; ghost?: string }>();
const emit = defineEmits<{ taken: [Blob]; close: [] }>();
const video = ref<HTMLVideoElement | null>(null);
const failure = ref("");
const wait = ref(0);
const left = ref(0);
const facing = ref<"environment" | "user">("environment");
let stream: MediaStream | null = null;
let timer = 0;
async function start() {
  stop();
  failure.value = "";
  try {
    stream = await navigator.mediaDevices.getUserMedia({ video: { facingMode: facing.value, width: { ideal: 1600 } }, audio: false });
    if (video.value) video.value.srcObject = stream;
  } catch {
    failure.value = "The camera cannot be used here. Allow it in the browser, or close this and choose a file.";
  }
}
function stop() {
  window.clearInterval(timer);
  left.value = 0;
  stream?.getTracks().forEach((track) => track.stop());
  stream = null;
}
async function take() {
  const picture = video.value && stream ? await shot(video.value) : null;
  if (picture) emit("taken", picture);
}
function press() {
  if (left.value > 0) return;
  if (!wait.value) return void take();
  left.value = wait.value;
  timer = window.setInterval(() => {
    left.value -= 1;
    if (left.value > 0) return;
    window.clearInterval(timer);
    void take();
  }, 1000);
}
async function turn() {
  facing.value = facing.value === "environment" ? "user" : "environment";
  await start();
}
onMounted(start);
onBeforeUnmount(stop);
</script>

<template>
  <ElDialog :model-value="true" :title="`From the ${view}`" width="min(720px, 96vw)" top="3vh" @close="emit('close')">
    <p v-if="failure" class="box care" role="alert">{{ failure }}</p>
    <div v-else class="frame">
      <video ref="video" autoplay playsinline muted></video>
      <img v-if="ghost" class="ghost" :src="ghost" alt="The last picture, faint" />
      <span v-if="left" class="left num" role="status">{{ left }}</span>
    </div>
    <p class="soft">{{ ghost ? "Stand as in the faint picture." : "Whole body in the frame, camera at hip height." }}</p>
    <template #footer>
      <div class="keys">
        <ElRadioGroup v-model="wait" aria-label="When">
          <ElRadioButton :value="0">now</ElRadioButton>
          <ElRadioButton :value="5">in 5 s</ElRadioButton>
          <ElRadioButton :value="10">in 10 s</ElRadioButton>
        </ElRadioGroup>
        <ElButton size="large" @click="turn">Other camera</ElButton>
        <ElButton size="large" type="primary" :disabled="!!failure" @click="press">Take</ElButton>
      </div>
    </template>
  </ElDialog>
</template>

<style scoped>
.frame {
  position: relative;
  background: var(--floor, #16262b);
  height: min(58vh, 560px);
}
video,
.ghost {
  position: absolute;
  inset: 0;
  width: 100%;
  height: 100%;
  object-fit: contain;
}
.ghost {
  opacity: 0.35;
}
.left {
  position: absolute;
  inset: 0;
  display: grid;
  place-items: center;
  font-size: 120px;
  color: #fff;
  text-shadow: 0 0 12px #000;
}
.keys {
  display: flex;
  flex-wrap: wrap;
  gap: 10px;
  justify-content: flex-end;
}
</style>
