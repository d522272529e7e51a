import { readFileSync } from "node:fs";
import { expect, test, vi } from "vitest";
import type { Battery, VisitEvent } from "@/api/types";
import { Core } from "./core";

const core = new Core(new WebAssembly.Module(readFileSync("src/core/core.wasm")));
const battery = { tests: [{ protocol: "plank" }, { protocol: "wall-sit" }] } as unknown as Battery;
const event = (kind: string) => ({
  id: "018f0000-0000-7000-8000-000000000001",
  kind,
  place: 0,
  reason: "rain",
  at: "2026-11-23T09:00:00Z",
});

test("what cannot be read has no answer, and what is asked next has", () => {
  const warned = vi.spyOn(console, "warn").mockImplementation(() => undefined);
  expect(core.visit(battery, [], [])?.next).toBe(0);
  expect(core.visit(battery, [event("no_such_kind") as unknown as VisitEvent], [])).toBeNull();
  expect(warned).toHaveBeenCalledOnce();
  expect(core.visit(battery, [], [])?.next).toBe(0);
  expect(core.begin({ no: "facts" }, {})).toBe(false);
  expect(core.beeps()).toBeNull();
});
