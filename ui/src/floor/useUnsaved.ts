import { watch } from "vue";

const PLACE = "impulso.unsaved.";

/**
 * What stands on this screen and is not saved yet, kept in this tab so that a reload finds it again. `key`: what it is for;
 * `now`: what stands there, nothing where that is empty; `put`: puts it there again.
 */
export function useUnsaved<T extends object>(key: () => string, now: () => T | null, put: (kept: T) => void) {
  const kept = sessionStorage.getItem(PLACE + key());
  if (kept) put(JSON.parse(kept) as T);
  // At once: what is emptied because it was saved is forgotten under the key it was kept under.
  watch(now, (value) => (value ? sessionStorage.setItem(PLACE + key(), JSON.stringify(value)) : sessionStorage.removeItem(PLACE + key())), {
    flush: "sync",
  });
}
