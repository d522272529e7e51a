/** Tells the server of a run that was set up on this screen without it. */
import { api, asFailure, Failure, take } from "@/api/client";
import type { RunForm, RunView } from "@/api/types";
import * as queue from "@/outbox/queue";

/** What is stored as the reason where something spoke against a test that this screen did not know. */
const UNKNOWN_HERE = "Begun without a network: what speaks against it was not known on the device.";

const under = new Map<string, Promise<RunView | null>>();

/**
 * Sends how a run was set up, where the server does not know it yet; gives the run then. Asked twice it is sent once.
 *
 * Throws a {@link Failure} that may pass where nothing answers or the server does not take it; why stands with the run.
 */
export function announce(run: string): Promise<RunView | null> {
  const now = under.get(run) ?? announced(run).finally(() => under.delete(run));
  under.set(run, now);
  return now;
}

async function announced(run: string): Promise<RunView | null> {
  const here = await queue.here(run);
  if (!here?.form) return null;
  const view = await sent(here.form, run);
  const { form, wrong: _, ...known } = here;
  // Its place was taken meanwhile: it is stored beside the visit.
  await queue.hold(form.visit && !view.visit ? { ...known, visit: undefined, apart: true } : known);
  return view;
}

/** What was done is stored, with a reason where one is needed that this screen did not know. */
async function sent(form: RunForm, run: string): Promise<RunView> {
  const post = (body: RunForm) => take(api.POST("/api/runs", { body: { ...body, sent_at: new Date().toISOString() } }));
  try {
    return await post(form).catch((error: unknown) => {
      const why = asFailure(error);
      if (why.field !== "overrule_reason" && why.field !== "reasons") throw why;
      const reasons = Object.fromEntries(form.people.map((p) => [p, form.reasons?.[p] ?? UNKNOWN_HERE]));
      return post({ ...form, overrule_reason: form.overrule_reason ?? UNKNOWN_HERE, reasons });
    });
  } catch (error) {
    const why = asFailure(error);
    if (why.mayPass) throw why;
    await queue.note(run, { wrong: why.message });
    throw new Failure(0, "not_taken", why.message);
  }
}
