/** Sets a run up and opens its floor: what the server answered is the first thing the floor shows. */
import { useRouter } from "vue-router";
import { take } from "@/api/client";
import type { RunView } from "@/api/types";
import { useRun } from "@/stores/run";

export function useBegin() {
  const router = useRouter();
  const floor = useRun();
  /** `ask`: sets it up. `before`: what is done between the answer and the floor. */
  return async (ask: () => Parameters<typeof take<RunView>>[0], before: () => void = () => {}): Promise<RunView> => {
    const sent = performance.now();
    const view = await take<RunView>(ask());
    floor.begun(view, sent);
    before();
    await router.push(`/runs/${view.id}`);
    return view;
  };
}
