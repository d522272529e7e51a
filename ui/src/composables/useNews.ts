import { useEventListener } from "@vueuse/core";
import { onScopeDispose, watch } from "vue";

/** The part of the browser's event source that is used here. */
export interface NewsSource {
  onopen: (() => void) | null;
  addEventListener: (name: "changed", heard: () => void) => void;
  close: () => void;
}

/**
 * Loads a page again when something of its person was stored, by whichever device, and where the page was hidden or without a line
 * meanwhile. `person`: whose, once that is known.
 */
export function useNews(
  person: () => string | null | undefined,
  reload: () => unknown,
  make: (url: string) => NewsSource = (at) => new EventSource(at) as unknown as NewsSource,
) {
  let source: NewsSource | null = null;
  const close = () => {
    source?.close();
    source = null;
  };
  watch(
    person,
    (id) => {
      close();
      if (!id) return;
      let opened = false;
      const listening = make(`/api/people/${id}/live`);
      listening.addEventListener("changed", () => void reload());
      // Opened a second time: what was said between the two was not heard.
      listening.onopen = () => {
        if (opened) void reload();
        opened = true;
      };
      source = listening;
    },
    { immediate: true },
  );
  useEventListener(document, "visibilitychange", () => document.visibilityState === "visible" && void reload());
  onScopeDispose(close);
}
