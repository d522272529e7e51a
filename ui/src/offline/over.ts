/** What goes when a test is over. Apart from `kept`, which the build reads too. */
import { KEPT_ANSWERS } from "@/offline/kept";
import * as queue from "@/outbox/queue";

/** A test that is over: nothing of it waits here, and nothing that was kept says that it goes on. */
export async function letGoOfRun(run: string) {
  await queue.letGo(run);
  if (!("caches" in globalThis)) return;
  const answers = await caches.open(KEPT_ANSWERS);
  for (const part of ["", "/log"]) await answers.delete(`/api/runs/${run}${part}`);
}
