/** What became of a result that somebody sent, in words. */
import type { SelfPage } from "@/api/types";

export type Fate = NonNullable<SelfPage["tests"][number]["sent"]>["fate"];

export const fateWords: Record<Fate, string> = {
  waiting: "sent, your coach has not looked at it yet",
  taken: "taken in by your coach",
  refused: "not taken in",
  replaced: "replaced",
};

/** How far somebody has come, in a sentence. */
export function standing(page: SelfPage): string {
  const own = page.tests.filter((t) => !t.why_not);
  const sent = own.filter((t) => t.sent && t.sent.fate !== "refused").length;
  if (page.closed) return "Your coach has closed this visit: nothing more can be sent.";
  if (!own.length) return "There is nothing for you to do here now.";
  return sent === own.length ? "You have sent everything. Thank you." : `${sent} of ${own.length} tests sent.`;
}
