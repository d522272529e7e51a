import { describe, expect, it } from "vitest";
import type { SelfPage } from "@/api/types";
import { standing, type Fate } from "./selfEntry";

const page = (fates: (Fate | null | "watched")[], closed = false) =>
  ({
    closed,
    tests: fates.map((fate) => ({
      why_not: fate === "watched" ? "Your coach takes this test with you." : null,
      sent: fate && fate !== "watched" ? { fate } : null,
    })),
  }) as unknown as SelfPage;

describe("how far somebody has come", () => {
  it("counts what was sent and not refused, of what is theirs to do", () => {
    expect(standing(page([null, "waiting", "watched"]))).toBe("1 of 2 tests sent.");
    expect(standing(page(["taken", "refused"]))).toBe("1 of 2 tests sent.");
    expect(standing(page(["taken", "waiting", "watched"]))).toBe("You have sent everything. Thank you.");
  });
  it("says that there is nothing to do, and that it is over", () => {
    expect(standing(page(["watched"]))).toBe("There is nothing for you to do here now.");
    expect(standing(page([null], true))).toContain("closed this visit");
  });
});
