import { type Component, defineAsyncComponent } from "vue";

/** So long after the page has come, ms: what it needs itself goes first. */
const AFTER = 2000;

/**
 * A component that not every page needs at first: fetched when it is asked for, or when the browser has nothing else to do, so that it is
 * there without a line too.
 */
export function later(load: () => Promise<{ default: Component }>) {
  // A browser remembers a script that could not be fetched: without a line it is not tried.
  const soon = () => void (navigator.onLine && load().catch(() => undefined));
  setTimeout(() => ("requestIdleCallback" in window ? requestIdleCallback(soon) : soon()), AFTER);
  return defineAsyncComponent(load);
}
