<script setup lang="ts">
/** A labelled field of the browser's own with what is wrong about it. The slot takes a choice in place of the text. */
defineOptions({ inheritAttrs: false });
defineProps<{ label: string; wrong?: string | null }>();
const model = defineModel<string>();
</script>

<template>
  <label class="field"
    ><span class="name">{{ label }}</span
    ><slot><input v-model="model" class="native" v-bind="$attrs" /></slot
    ><span v-if="wrong" class="wrong" role="alert">{{ wrong }}</span></label
  >
</template>

<style scoped>
.field {
  margin-bottom: 10px;
}
.field :deep(.native) {
  width: 100%;
  max-width: 420px;
}
</style>
