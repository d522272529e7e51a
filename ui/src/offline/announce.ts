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
  const { view, apart } = await sent(here.form, run);
  const { form: _, wrong: __, ...known } = here;
  await queue.hold(apart ? { ...known, visit: undefined, group: undefined, apart } : known);
  return view;
}

/** What was done on the day is stored: outside its visit where the visit takes it no more, with a reason where one is needed. */
async function sent(form: RunForm, run: string): Promise<{ view: RunView; apart?: string }> {
  const post = (body: RunForm) => take(api.POST("/api/runs", { body: { ...body, sent_at: new Date().toISOString() } }));
  const again = async (body: RunForm): Promise<RunView> => {
    try {
      return await post(body);
    } catch (error) {
      const why = asFailure(error);
      const asks = why.field === "overrule_reason" || why.field === "reasons";
      if (!asks || body.overrule_reason === UNKNOWN_HERE) throw why;
      const reasons = Object.fromEntries(body.people.map((p) => [p, body.reasons?.[p] ?? UNKNOWN_HERE]));
      return post({ ...body, overrule_reason: body.overrule_reason ?? UNKNOWN_HERE, reasons });
    }
  };
  try {
    return { view: await again(form) };
  } catch (error) {
    const why = asFailure(error);
    const ofVisit = why.code === "begun_elsewhere" || why.field === "visit" || (why.field === "people" && form.group);
    if (!why.mayPass && ofVisit && (form.visit || form.group)) {
      const view = await again({ ...form, visit: null, group: null });
      return { view, apart: why.message };
    }
    if (why.mayPass) throw why;
    await queue.note(run, { wrong: why.message });
    throw new Failure(0, "not_taken", why.message);
  }
}
