<script setup lang="ts">
import { useMediaQuery } from "@vueuse/core";
import { ref, watchEffect } from "vue";

/** A part of a page under its heading. On a phone it folds, so that the whole page can be seen; elsewhere it stands open. */
const props = defineProps<{
  title: string;
  /** Stands open on a phone too. */ first?: boolean;
  /** In a few words, what is in it. */ brief?: string;
}>();
const narrow = useMediaQuery("(max-width: 640px)");
const open = ref(true);
watchEffect(() => (open.value = !narrow.value || props.first === true));
</script>

<template>
  <section>
    <template v-if="narrow">
      <h2>
        <button type="button" :aria-expanded="open" @click="open = !open">
          <span>{{ title }}</span><small v-if="brief && !open" class="soft">{{ brief }}</small
          ><span class="sign" aria-hidden="true">{{ open ? "−" : "+" }}</span>
        </button>
      </h2>
      <div v-show="open"><slot /></div>
    </template>
    <template v-else>
      <h2>{{ title }}</h2>
      <slot />
    </template>
  </section>
</template>

<style scoped>
button {
  display: flex;
  align-items: baseline;
  gap: 12px;
  width: 100%;
  min-height: 48px;
  padding: 8px 0;
  border: 0;
  border-top: 1px solid var(--line);
  background: none;
  color: var(--ink);
  font: inherit;
  text-align: left;
  cursor: pointer;
}
small {
  flex: 1;
  font-weight: 400;
  text-align: right;
}
.sign {
  margin-left: auto;
  color: var(--fjord);
  font-size: 22px;
  line-height: 1;
}
@media (max-width: 640px) {
  section {
    margin-bottom: 0 !important;
  }
  h2 {
    margin: 0;
  }
}
@media print {
  div {
    display: block !important;
  }
}
</style>
