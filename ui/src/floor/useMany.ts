import { useSessionStorage } from "@vueuse/core";
import { computed, ref, watch } from "vue";
import { api, take } from "@/api/client";
import { useRun } from "@/stores/run";

/** Many performers on one screen: their numbers, and what this screen said of whom, to take back. */
export function useMany() {
  const run = useRun();
  /** Numbers on the shirts, from the roll. */
  const numbers = ref<Record<string, number | null | undefined>>({});
  /** Before they are known nobody is called by one. */
  const known = ref(false);
  watch(
    () => run.view?.group_visit,
    async (id) => {
      if (!id) return void (known.value = true);
      const page = await take(api.GET("/api/group-visits/{id}", { params: { path: { id } } })).catch(() => null);
      if (page) numbers.value = Object.fromEntries(page.roll.map((l) => [l.person, l.number]));
      known.value = true;
    },
    { immediate: true },
  );
  const people = computed(() =>
    run.view!.performers.map((p) => ({
      slot: p.slot,
      name: p.name,
      number: (p.person ? numbers.value[p.person] : null) ?? p.slot + 1,
    })),
  );
  /** Who wears a number; nothing where nobody or more than one does. */
  function wears(text: string) {
    const found = people.value.filter((p) => p.number === Number(text));
    return found.length === 1 ? found[0]! : null;
  }

  /** Whose entry is on its way, where this screen cannot tell by itself what is next for them. */
  const onItsWay = ref(new Map<number, Promise<unknown>>());
  /** What this screen did, the newest last: undo takes it back, after a reload too. */
  const said = useSessionStorage<{ event: string; slot?: number; what: string }[]>(`impulso.said.${run.view!.id}`, []);
  // What was refused is nothing to take back.
  watch(
    () => run.refused,
    (refused) => refused && (said.value = said.value.filter((s) => s.event !== refused.event.id)),
  );
  async function say(kind: Parameters<typeof run.record>[0], slot: number | undefined, what: string, atMs?: number) {
    const event = await run.record(kind, slot, atMs);
    said.value = [...said.value, { event, slot, what }].slice(-20);
    if (slot === undefined || run.isFolded) return event;
    const arrives = run.settled(event).finally(() => {
      if (onItsWay.value.get(slot) !== arrives) return;
      onItsWay.value.delete(slot);
      onItsWay.value = new Map(onItsWay.value);
    });
    onItsWay.value = new Map(onItsWay.value).set(slot, arrives);
    return event;
  }
  async function undo() {
    const last = said.value.at(-1);
    if (!last) return;
    said.value = said.value.slice(0, -1);
    await run.record({ kind: "undone", event: last.event }, last.slot);
  }
  return { known, people, wears, onItsWay, said, say, undo };
}
