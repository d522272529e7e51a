<script setup lang="ts">
import { v7 as uuid } from "uuid";
import { api, take } from "@/api/client";
import type { BatteryLine } from "@/api/types";
import BatteryLines from "@/components/BatteryLines.vue";
import PageState from "@/components/PageState.vue";
import { useLoad } from "@/composables/useLoad";

/** The batteries: the practice's own to be changed, those that ship to be copied. */
const { data: list, failure, loading, reload } = useLoad(() => take(api.GET("/api/batteries")));
/** One's own is changed; one that ships becomes a copy. */
const to = (b: BatteryLine) => (b.own ? `/batteries/${b.battery.id.replace(/^own-/, "")}` : `/batteries/${uuid()}?from=${b.battery.id}`);
</script>

<template>
  <div class="page">
    <div class="page-head">
      <div>
        <h1>Batteries</h1>
        <div class="soft">
          Several tests in a fixed order, the same every time. Open one of yours to change it, one that ships to copy it.
        </div>
      </div>
      <span class="grow"></span>
      <RouterLink class="go" :to="`/batteries/${uuid()}`">A new one</RouterLink>
    </div>
    <PageState v-if="!list" :failure="failure" :loading="loading" @again="reload" />
    <BatteryLines v-else :batteries="list" :to="to" />
  </div>
</template>
