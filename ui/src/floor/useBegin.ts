/** Sets a run up and opens its floor: what was answered is the first thing the floor shows. Where nothing answers it is set up here. */
import { useRouter } from "vue-router";
import { api, asFailure, take } from "@/api/client";
import type { RunForm, RunView } from "@/api/types";
import { beginHere, placeOf } from "@/offline/begin";
import * as queue from "@/outbox/queue";
import { useRun } from "@/stores/run";
import { useSession } from "@/stores/session";

/** A line that is there and brings nothing is none, ms: nobody waits longer for a test to begin. */
const PATIENCE_MS = 10_000;

/** Opens the floor of a run that is asked for by other means. */
export function useOpen() {
  const router = useRouter();
  const floor = useRun();
  return async (ask: () => Parameters<typeof take<RunView>>[0]): Promise<RunView> => {
    const sent = performance.now();
    const view = await take<RunView>(ask());
    floor.begun(view, sent);
    await router.push(`/runs/${view.id}`);
    return view;
  };
}

export function useBegin() {
  const router = useRouter();
  const floor = useRun();
  const session = useSession();
  const coach = () => session.info?.id ?? "";
  /** What is noted of a run that the server knows: its place in a visit, for when the line breaks. */
  const note = (form: RunForm, view: RunView) =>
    queue
      .hold({ run: form.id, coach: coach(), at: Date.now(), who: `${view.name} · ${view.protocol_name}`, ...placeOf(form) })
      .catch(() => undefined);

  /** `before`: what is done between the answer and the floor. */
  return async (form: RunForm, before: () => void = () => {}): Promise<RunView> => {
    const sent = performance.now();
    let view: RunView;
    try {
      view = await take<RunView>(api.POST("/api/runs", { body: form, signal: AbortSignal.timeout(PATIENCE_MS) }));
      floor.begun(view, sent);
      void note(form, view);
    } catch (error) {
      const why = asFailure(error);
      if (!why.isAway) throw why;
      view = await beginHere(form, coach());
      floor.begun(view, sent, true);
    }
    before();
    await router.push(`/runs/${view.id}`);
    return view;
  };
}
