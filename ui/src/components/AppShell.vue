<script setup lang="ts">
import { onKeyStroke } from "@vueuse/core";
import { computed, ref, watchEffect } from "vue";
import { useRoute, useRouter } from "vue-router";
import { later } from "@/composables/later";
import { useSession } from "@/stores/session";
import { useWaiting } from "@/stores/waiting";
import WaitingNote from "./WaitingNote.vue";

const KeysHelp = later(() => import("./KeysHelp.vue"));
const SearchBox = later(() => import("./SearchBox.vue"));
const session = useSession();
const route = useRoute();
const router = useRouter();
const searching = ref(false);
const helping = ref(false);
/** Each is there from the first time it is asked for. */
const asked = ref({ search: false, help: false });
watchEffect(() => {
  asked.value.search ||= searching.value;
  asked.value.help ||= helping.value;
});

const places = [
  { to: "/", name: "Today", key: "t" },
  { to: "/people", name: "People", key: "p", also: ["/visits", "/results"] },
  { to: "/groups", name: "Groups", key: "o", also: ["/group-visits", "/classes"] },
  { to: "/retests", name: "Retests", key: "r" },
  { to: "/tests", name: "Test library", key: "l", also: ["/batteries", "/rehearsals"] },
  { to: "/practice", name: "Practice", key: "c" },
];
/** Where the page belongs; a list that is added to a group belongs to the group. */
const here = computed(() => {
  if (route.query.group) return "/groups";
  const under = (path: string) => route.path === path || route.path.startsWith(`${path}/`);
  return places.find((p) => [p.to, ...(p.also ?? [])].some(under))?.to;
});

const typing = (event: KeyboardEvent) =>
  event.ctrlKey ||
  event.metaKey ||
  event.altKey ||
  (event.target as HTMLElement).closest("input, textarea, select, [contenteditable]") !== null;

let going = 0;
onKeyStroke((event) => {
  if (typing(event) || searching.value || session.expired) return;
  const place = places.find((p) => p.key === event.key);
  if (event.key === "/") searching.value = true;
  else if (event.key === "?") helping.value = true;
  else if (event.key === "n") void router.push("/people/new");
  else if (event.key === "g") {
    going = Date.now();
    return;
  } else if (place && Date.now() - going < 1500) void router.push(place.to);
  else return;
  going = 0;
  event.preventDefault();
});

const waiting = useWaiting();
/** Asked a second time where something is not in the record yet. */
const sure = ref(false);
async function leave() {
  if (waiting.count) await waiting.send();
  if (waiting.count && !sure.value) return void (sure.value = true);
  await session.signOut();
  await router.push("/sign-in");
}
</script>

<template>
  <div class="shell">
    <a class="skip" href="#main">To the page</a>
    <nav aria-label="Main">
      <RouterLink class="brand" to="/"><i aria-hidden="true"></i>Impulso</RouterLink>
      <button class="find" type="button" @click="searching = true"><span>Find</span><kbd>/</kbd></button>
      <RouterLink
        v-for="place in places"
        :key="place.to"
        class="place"
        :to="place.to"
        :class="{ on: place.to === here }"
        :aria-current="place.to === here ? 'page' : undefined"
      >
        {{ place.name }}
      </RouterLink>
      <div class="who">
        <span>{{ session.info?.practice }}</span>
        <span>{{ session.info?.coach }}</span>
        <span v-if="sure && waiting.count" class="unsent" role="alert"
          >{{ waiting.count === 1 ? "1 entry is" : `${waiting.count} entries are` }} not in the record yet, and will be sent when you sign
          in on this device again.</span
        >
        <button type="button" @click="leave">{{ sure && waiting.count ? "Sign out all the same" : "Sign out" }}</button>
        <button type="button" @click="helping = true">Keys</button>
      </div>
    </nav>
    <main id="main" tabindex="-1"><WaitingNote /><slot /></main>
    <SearchBox v-if="asked.search" v-model="searching" />
    <KeysHelp v-if="asked.help" v-model="helping" />
  </div>
</template>

<style scoped>
main > :deep(.waiting) {
  padding-inline: 32px;
}
.shell {
  display: grid;
  grid-template-columns: 192px 1fr;
  min-height: 100vh;
}
main {
  min-width: 0;
  outline: none;
}
nav {
  background: #17262b;
  color: #cfd8d6;
  padding: 22px 0 18px;
  display: flex;
  flex-direction: column;
  position: sticky;
  top: 0;
  height: 100vh;
}
nav :focus-visible {
  outline-color: #fff;
}
.brand {
  font-size: 23px;
  font-weight: 750;
  letter-spacing: -0.3px;
  color: #fff;
  text-decoration: none;
  padding: 0 22px 16px;
}
.brand i {
  display: inline-block;
  width: 9px;
  height: 18px;
  background: #e0602c;
  margin-right: 9px;
  transform: skewX(-18deg);
}
.find {
  margin: 0 16px 12px;
  padding: 8px 10px;
  display: flex;
  justify-content: space-between;
  align-items: center;
  font: inherit;
  color: #cfd8d6;
  background: #22363c;
  border: 1px solid #35505a;
  border-radius: 8px;
  cursor: pointer;
}
.find kbd {
  color: #cfd8d6;
  border-color: #4a646d;
}
.place {
  padding: 10px 22px;
  border-left: 4px solid transparent;
  color: inherit;
  text-decoration: none;
}
.place:hover {
  color: #fff;
}
.place.on {
  color: #fff;
  border-color: #e0602c;
  background: #22363c;
}
.who {
  margin-top: auto;
  padding: 0 22px;
  font-size: 14px;
  line-height: 1.5;
  color: #a9b7b8;
  display: flex;
  flex-wrap: wrap;
  column-gap: 14px;
}
.who span {
  width: 100%;
}
.who .unsent {
  color: #f0c674;
}
.who button {
  font: inherit;
  color: #fff;
  background: none;
  border: 0;
  padding: 6px 0;
  text-decoration: underline;
  text-underline-offset: 3px;
  cursor: pointer;
}
.skip {
  position: absolute;
  left: -999px;
  top: 8px;
  z-index: 10;
  background: #fff;
  padding: 8px 14px;
}
.skip:focus {
  left: 8px;
}
@media (max-width: 760px) {
  .shell {
    grid-template-columns: 1fr;
  }
  nav {
    position: static;
    height: auto;
    flex-direction: row;
    flex-wrap: wrap;
    align-items: center;
    padding: 8px 6px 4px;
  }
  .brand {
    padding: 4px 10px;
    font-size: 20px;
    flex: 1 1 calc(100% - 140px);
  }
  .find {
    margin: 0 6px;
    gap: 16px;
  }
  .place {
    padding: 8px 6px;
    border-left: 0;
    border-bottom: 3px solid transparent;
    font-size: 14px;
  }
  .who {
    display: none;
  }
}
</style>
