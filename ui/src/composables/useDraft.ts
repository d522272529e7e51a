import { ref, watch, type Ref } from "vue";

const PLACE = "impulso.draft.";

/** What a form of this tab holds now, to go on from elsewhere; nothing where it was not begun. */
export function peekDraft<T extends object>(key: string): Partial<T> | null {
  const kept = sessionStorage.getItem(PLACE + key);
  return kept ? (JSON.parse(kept) as Partial<T>) : null;
}

/** A form that survives a reload: kept in this tab until it is cleared. */
export function useDraft<T extends object>(key: string, start: T): { draft: Ref<T>; clear: () => void } {
  const place = PLACE + key;
  const kept = sessionStorage.getItem(place);
  const draft = ref({ ...start, ...(kept ? (JSON.parse(kept) as Partial<T>) : {}) }) as Ref<T>;
  const stop = watch(draft, (value) => sessionStorage.setItem(place, JSON.stringify(value)), { deep: true });
  function clear() {
    stop();
    sessionStorage.removeItem(place);
  }
  return { draft, clear };
}
