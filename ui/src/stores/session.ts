import { defineStore } from "pinia";
import { ref } from "vue";
import { api, take } from "@/api/client";
import type { SessionInfo } from "@/api/types";
import { forget } from "@/outbox/queue";

/** Who is signed in. */
export const useSession = defineStore("session", () => {
  const info = ref<SessionInfo | null>(null);
  /** The session ended while a page was open: the page stays, a sign-in lies over it. */
  const expired = ref(false);

  /** Asks the server once; later calls answer from memory. Where nothing answers nobody is sent away. */
  async function known(): Promise<"yes" | "no" | "away"> {
    if (info.value) return "yes";
    const { data, response } = await api.GET("/api/session").catch(() => ({ data: undefined, response: undefined }));
    info.value = data ?? null;
    if (info.value) return "yes";
    return response && response.status < 500 ? "no" : "away";
  }

  async function signIn(email: string, password: string) {
    info.value = await take(api.POST("/api/session", { body: { email, password } }));
    expired.value = false;
  }

  async function signOut() {
    await api.DELETE("/api/session").catch(() => undefined);
    await forget().catch(() => undefined);
    sessionStorage.clear();
    info.value = null;
  }

  return { info, expired, known, signIn, signOut };
});
