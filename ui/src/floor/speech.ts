/** Spoken calls, where wanted and where the browser can. */
import { useLocalStorage } from "@vueuse/core";

export const speechWanted = useLocalStorage("impulso.speech", false);

export function speak(text: string) {
  if (!speechWanted.value || !("speechSynthesis" in window)) return;
  const utterance = new SpeechSynthesisUtterance(text);
  utterance.lang = "en";
  utterance.rate = 1.1;
  window.speechSynthesis.speak(utterance);
}
