import { nextTick, ref, shallowRef } from "vue";
import { asFailure, type Failure } from "@/api/client";

const alerts = () => [...document.querySelectorAll<HTMLElement>("[role=alert]")];

/** What went wrong comes into sight, wherever on the page it is said. `before`: what was said already. */
async function bringIntoSight(before: HTMLElement[]) {
  await nextTick();
  const said = alerts().filter((alert) => !before.includes(alert));
  const isSeen = ({ top, bottom }: DOMRect) => top >= 0 && bottom <= window.innerHeight;
  if (!said.some((alert) => isSeen(alert.getBoundingClientRect()))) said[0]?.scrollIntoView({ block: "center" });
}

/** Something the coach sets off: at most once at a time, with its failure beside it. */
export function useAction() {
  const busy = ref(false);
  const failure = shallowRef<Failure | null>(null);
  /** Runs `work`; gives nothing where it failed or another run is still going. */
  async function run<T>(work: () => Promise<T>): Promise<T | undefined> {
    if (busy.value) return undefined;
    busy.value = true;
    failure.value = null;
    try {
      return await work();
    } catch (error) {
      const before = alerts();
      failure.value = asFailure(error);
      void bringIntoSight(before);
      return undefined;
    } finally {
      busy.value = false;
    }
  }
  return { busy, failure, run };
}
