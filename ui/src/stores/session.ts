import { defineStore } from "pinia";
import { ref } from "vue";
import { api, take } from "@/api/client";
import type { SessionInfo } from "@/api/types";
import { forgetAnswers } from "@/offline/kept";
import { forget } from "@/outbox/queue";

/** Signed out while nothing answered: the server is told before anything else is asked of it. */
const LEFT = "impulso.left";

/** Who is signed in. */
export const useSession = defineStore("session", () => {
  const info = ref<SessionInfo | null>(null);
  /** The session ended while a page was open: the page stays, a sign-in lies over it. */
  const expired = ref(false);

  /** Asks the server once; later calls answer from memory. Where nothing answers nobody is sent away. */
  async function known(): Promise<"yes" | "no" | "away"> {
    if (info.value) return "yes";
    if (localStorage.getItem(LEFT) && !(await leave())) return "no";
    const { data, response } = await api.GET("/api/session").catch(() => ({ data: undefined, response: undefined }));
    info.value = data ?? null;
    if (info.value) return "yes";
    return response && response.status < 500 ? "no" : "away";
  }

  async function signIn(email: string, password: string, code?: string) {
    info.value = await take(api.POST("/api/session", { body: { email, password, code } }));
    localStorage.removeItem(LEFT);
    expired.value = false;
  }

  /** Tells the server; whether it heard. */
  async function leave(): Promise<boolean> {
    const told = await api.DELETE("/api/session").then(
      ({ response }) => response.ok || response.status === 401,
      () => false,
    );
    if (told) localStorage.removeItem(LEFT);
    else localStorage.setItem(LEFT, "yes");
    return told;
  }

  async function signOut() {
    await leave();
    await forget().catch(() => undefined);
    await forgetAnswers().catch(() => undefined);
    sessionStorage.clear();
    info.value = null;
  }

  return { info, expired, known, signIn, signOut };
});
