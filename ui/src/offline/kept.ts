import * as queue from "@/outbox/queue";

/** The answers that the service worker keeps for pages without a network: two days at the most, and none of whoever has signed out. */
export const KEPT_ANSWERS = "impulso-prepared";

/** Lets go of them: whoever comes next sees nobody's. */
export async function forgetAnswers() {
  if ("caches" in globalThis) await caches.delete(KEPT_ANSWERS);
}

/** A test that is over: nothing of it waits here, and nothing that was kept says that it goes on. */
export async function letGoOfRun(run: string) {
  await queue.letGo(run);
  if (!("caches" in globalThis)) return;
  const answers = await caches.open(KEPT_ANSWERS);
  for (const part of ["", "/log"]) await answers.delete(`/api/runs/${run}${part}`);
}
