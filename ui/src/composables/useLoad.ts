import { ref, shallowRef, type Ref } from "vue";
import { asFailure, type Failure } from "@/api/client";

/** What a page that loads something shows: the data, the failure, or neither yet. */
export interface Loaded<T> {
  data: Ref<T | null>;
  failure: Ref<Failure | null>;
  loading: Ref<boolean>;
  /** Loads again; what was shown stays until the new answer is there. */
  reload: () => Promise<void>;
}

/** Loads once now, and again on demand. A slower, older answer never replaces a newer one. */
export function useLoad<T>(load: () => Promise<T>): Loaded<T> {
  const data = shallowRef<T | null>(null);
  const failure = shallowRef<Failure | null>(null);
  const loading = ref(false);
  let latest = 0;
  async function reload() {
    const mine = ++latest;
    loading.value = true;
    try {
      const answer = await load();
      if (mine !== latest) return;
      failure.value = null;
      // The same answer again moves nothing on the page.
      if (JSON.stringify(answer) !== JSON.stringify(data.value)) data.value = answer;
    } catch (error) {
      if (mine === latest) failure.value = asFailure(error);
    } finally {
      if (mine === latest) loading.value = false;
    }
  }
  void reload();
  return { data, failure, loading, reload };
}
