/** What is decided about a visit: at once where the server answers, kept on this device where nothing does. */
import { v7 as uuid } from "uuid";
import type { Ref } from "vue";
import { api, asFailure, take } from "@/api/client";
import type { VisitEvent, VisitPage, VisitShown } from "@/api/types";
import { useWaiting } from "@/stores/waiting";

/** `page`: the visit as it is shown; `reload`: shows it anew. Gives what it costs, or nothing; throws where it is refused. */
export function useVisitChange(page: Ref<VisitShown | null>, reload: () => Promise<void>) {
  const waiting = useWaiting();
  return async (event: VisitEvent): Promise<string> => {
    const visit = page.value!;
    const id = uuid();
    try {
      const done = await take(api.POST("/api/visits/{id}/events", { params: { path: { id: visit.id } }, body: { id, event } }));
      page.value = { ...(done.visit as VisitPage), goals: visit.goals, group: visit.group };
      return done.cost ?? "";
    } catch (error) {
      if (!asFailure(error).isAway) throw error;
      await waiting.decide({ id, visit: visit.id, event });
      await reload();
      return "";
    }
  };
}
