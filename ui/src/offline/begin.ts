/** Sets a test up on this screen: nothing answers, and what it needs was prepared while there was a network. */
import { api, Failure, take } from "@/api/client";
import type { RunForm, RunView } from "@/api/types";
import { loadCore } from "@/core/core";
import { isSo } from "@/logic/conditions";
import { isoDay } from "@/logic/dates";
import * as queue from "@/outbox/queue";

/** What the server knows of the tests of a person, or of everybody in a group visit, as it is asked for. */
export const preparedFor = (form: Pick<RunForm, "protocol" | "people" | "visit" | "group">) => ({
  protocol: form.protocol,
  ...(form.group
    ? { group_visit: form.group.visit, place: form.group.place }
    : { person: form.people[0], ...(form.visit ? { visit: form.visit.visit, place: form.visit.place } : {}) }),
});

/** The place that a run fills, as it is noted. */
export const placeOf = (form: RunForm): Pick<queue.Here, "visit" | "group"> => ({
  ...(form.visit ? { visit: form.visit } : {}),
  ...(form.group ? { group: { ...form.group, people: form.people } } : {}),
});

/**
 * Begins a run here. `coach`: whose it is.
 *
 * Throws a {@link Failure}: what is missing, or that the test was not prepared.
 */
export async function beginHere(form: RunForm, coach: string): Promise<RunView> {
  const core = await loadCore();
  const query = preparedFor(form);
  const kept = core && (await take(api.GET("/api/prepared", { params: { query } })).catch(() => null));
  if (!core || !kept || (form.people.length > 1 && !form.group)) {
    const message = "There is no network, and this test was not opened on this device before. Open it once while there is a network.";
    throw new Failure(0, "not_prepared", message);
  }
  const at = Date.now();
  const here = { prepared: kept.prepared, form, at };
  const done = core.setUp(here);
  if (done !== true) throw new Failure(422, done.code, done.message, done.field ?? undefined);
  const view = core.view([], at);
  if (!view) throw new Failure(0, "not_prepared", "This test cannot be begun without a network on this device.");
  const given = form.conditions as Record<string, unknown>;
  await queue.hold({
    run: form.id,
    coach,
    at,
    form: { ...form, set_up_at: new Date(at).toISOString() },
    who: `${view.name} · ${view.protocol_name}`,
    pictures: { drawings: kept.drawings.filter((d) => isSo(d.when, given)), body_map: kept.body_map },
    ...placeOf(form),
  });
  const log = { facts: {}, earlier: {}, events: [], today: isoDay(new Date(at)), here };
  await queue.remember({ door: form.id, view, log, offset: 0, at });
  return view;
}
