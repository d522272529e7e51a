/** A visit with what was done of it on this device and the server does not know yet. */
import { api, take } from "@/api/client";
import type { GroupVisitPage, PreparedVisit, VisitEvent, VisitPage } from "@/api/types";
import { loadCore, type VisitStands } from "@/core/core";
import * as queue from "@/outbox/queue";

/** What this device knows of a visit, in the order in which it happened. */
export function eventsHere(visit: string, runs: queue.Here[], changes: queue.Change[]): VisitEvent[] {
  const ofRuns = runs.flatMap((one) => {
    const at = one.visit;
    if (at?.visit !== visit) return [];
    const begun: VisitEvent = { kind: "begun", place: at.place, run: one.run };
    if (!one.ended) return [{ at: one.at, events: [begun] }];
    const end: VisitEvent =
      one.ended === "finished" ? { kind: "done", place: at.place, result: one.run } : { kind: "ended", place: at.place };
    return [{ at: one.at, events: [begun, end] }];
  });
  const decided = changes.filter((c) => c.visit === visit).map((c) => ({ at: c.at, events: [c.event] }));
  return [...ofRuns, ...decided].sort((a, b) => a.at - b.at).flatMap((one) => one.events);
}

/** The visit's page as it stands on this device. `stands`: by the core, after all events. */
export function asItStands<V extends VisitPage>(page: V, prepared: PreparedVisit, stands: VisitStands, runs: queue.Here[]): V {
  const rows = stands.state.order.flatMap((place) => {
    const row = page.rows.find((r) => r.place === place);
    const at = stands.state.places[place];
    if (!row || !at) return [];
    const mine = runs.find((one) => one.run === at.result);
    const came = mine?.came?.length ? mine.came : null;
    const figures = came ? came.map((value) => ({ label: "", value })) : row.figures;
    const done = at.stand === "done" ? { figures, brief: came?.join(" · ") ?? row.brief } : { figures: [], brief: null };
    return [{ ...row, stand: at.stand, run: at.run, reason: at.reason, ...done }];
  });
  const next = prepared.tests.find((t) => t.place === stands.next);
  const running = stands.next !== null && stands.state.places[stands.next]?.stand === "running";
  return {
    ...page,
    rows,
    done: rows.filter((r) => r.stand === "done").length,
    closed: stands.state.closed,
    next: next ? { ...next, run: running ? stands.state.places[next.place]!.run : null } : null,
  };
}

/** A visit's page, with what was done here on top; as it came where nothing was. */
export async function visitHere<V extends VisitPage>(page: V): Promise<V> {
  const [all, changes] = await Promise.all([queue.allHere().catch(() => []), queue.changes().catch(() => [])]);
  // What the server has closed is in its page already.
  const runs = all.filter((one) => one.visit?.visit === page.id && (one.form || one.ended));
  const here = eventsHere(page.id, runs, changes);
  if (!here.length) return page;
  const core = await loadCore();
  const prepared = await take(api.GET("/api/visits/{id}/prepared", { params: { path: { id: page.id } } })).catch(() => null);
  const stands = core && prepared && core.visit(prepared.battery, [...prepared.events, ...here], prepared.shut);
  return stands && prepared ? asItStands(page, prepared, stands, runs) : page;
}

/** A group visit's page with what was done here on top: who has done a test on this device has it no more to do. */
export function groupAsItStands(page: GroupVisitPage, runs: queue.Here[]): GroupVisitPage {
  const tests = page.tests.map((test) => {
    const of = runs.filter((one) => one.group?.visit === page.id && one.group.place === test.place);
    const done = new Set(of.filter((one) => one.ended === "finished").flatMap((one) => one.did ?? []));
    const did = test.to_come.filter((person) => done.has(person));
    const open = of.filter((one) => !one.ended).map((one) => one.run);
    return {
      ...test,
      done: test.done + did.length,
      to_come: test.to_come.filter((person) => !done.has(person)),
      runs: [...new Set([...test.runs, ...open])].filter((run) => !of.some((one) => one.run === run && one.ended)),
    };
  });
  return { ...page, tests };
}

/** A group visit's page, with what was done here on top. */
export async function groupVisitHere(page: GroupVisitPage): Promise<GroupVisitPage> {
  const runs = (await queue.allHere().catch(() => [])).filter((one) => one.form || one.ended);
  return runs.some((one) => one.group?.visit === page.id) ? groupAsItStands(page, runs) : page;
}
