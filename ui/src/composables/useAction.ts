import { ref, shallowRef } from "vue";
import { asFailure, type Failure } from "@/api/client";

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
      failure.value = asFailure(error);
      return undefined;
    } finally {
      busy.value = false;
    }
  }
  return { busy, failure, run };
}
