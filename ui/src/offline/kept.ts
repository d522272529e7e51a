/** The answers that the service worker keeps for pages without a network: two days at the most, and none of whoever has signed out. */
export const KEPT_ANSWERS = "impulso-prepared";

/** Lets go of them: whoever comes next sees nobody's. */
export async function forgetAnswers() {
  if ("caches" in globalThis) await caches.delete(KEPT_ANSWERS);
}
