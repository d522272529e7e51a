/**
 * What the next tests need is fetched while there is a network: the service worker keeps each answer and hands it out when none comes.
 */
import { api, take } from "@/api/client";
import type { GroupVisitPage, VisitPage } from "@/api/types";
import { loadCore } from "@/core/core";
import { preparedFor } from "./begin";

/** What was fetched a moment ago is not fetched again, ms. */
const FRESH_MS = 60_000;
const fetched = new Map<string, number>();

/** Whether answers are kept on this device at all. */
const keeps = () => "serviceWorker" in navigator && navigator.serviceWorker.controller !== null;

async function once(key: string, ask: () => Promise<unknown>) {
  if (Date.now() - (fetched.get(key) ?? -Infinity) < FRESH_MS) return;
  fetched.set(key, Date.now());
  await ask().catch(() => fetched.delete(key));
}

/** One test of a person, at a place of a visit where it belongs to one. */
export async function prepareTest(person: string, protocol: string, at?: { visit: string; place: number }) {
  if (!keeps()) return;
  const key = `${person} ${protocol} ${at?.visit} ${at?.place}`;
  await once(key, async () => {
    await loadCore();
    const query = preparedFor({ protocol, people: [person], visit: at });
    await take(api.GET("/api/prepared", { params: { query } }));
    await take(api.GET("/api/people/{id}/assess/{protocol}", { params: { path: { id: person, protocol }, query: at ?? {} } }));
  });
}

/** Every test of a visit that is still to come. */
export async function prepareVisit(page: VisitPage) {
  if (!keeps() || page.closed) return;
  // As it stands now: what happened since is not in what was kept before.
  await take(api.GET("/api/visits/{id}/prepared", { params: { path: { id: page.id } } })).catch(() => null);
  for (const row of page.rows.filter((r) => r.stand === "to_come" || r.stand === "skipped" || page.window))
    await prepareTest(page.person, row.protocol, { visit: page.id, place: row.place });
}

/** Every test of a group visit, for all who are here. */
export async function prepareGroupVisit(page: GroupVisitPage) {
  if (!keeps() || page.closed) return;
  for (const test of page.tests.filter((t) => t.to_come.length > 0)) {
    const query = preparedFor({ protocol: test.protocol, people: [], group: { visit: page.id, place: test.place } });
    await once(`${page.id} ${test.place} ${test.to_come.join()}`, async () => {
      await loadCore();
      await take(api.GET("/api/prepared", { params: { query } }));
    });
  }
}
