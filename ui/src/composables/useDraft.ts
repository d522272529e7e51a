import { ref, watch, type Ref } from "vue";

/** A form that survives a reload: kept in this tab until it is cleared. */
export function useDraft<T extends object>(key: string, start: T): { draft: Ref<T>; clear: () => void } {
  const place = `impulso.draft.${key}`;
  const kept = sessionStorage.getItem(place);
  const draft = ref({ ...start, ...(kept ? (JSON.parse(kept) as Partial<T>) : {}) }) as Ref<T>;
  const stop = watch(draft, (value) => sessionStorage.setItem(place, JSON.stringify(value)), { deep: true });
  function clear() {
    stop();
    sessionStorage.removeItem(place);
  }
  return { draft, clear };
}
