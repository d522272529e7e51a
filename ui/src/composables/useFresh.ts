import { useEventListener, useIntervalFn } from "@vueuse/core";

/** Loads again while the page is looked at, so that what another device changed appears here. */
export function useFresh(reload: () => Promise<void>, everyMs = 5_000) {
  const look = () => document.visibilityState === "visible" && void reload();
  useIntervalFn(look, everyMs);
  useEventListener(document, "visibilitychange", look);
}
