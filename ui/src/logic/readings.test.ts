import { describe, expect, it } from "vitest";
import type { Input } from "@/api/types";
import { isWrong, readings } from "./readings";

const input = (key: string, more: object = {}) => ({ key, label: key, unit: "", required: false, ...more }) as unknown as Input;

describe("readings that were typed", () => {
  it("have the shape of the contract", () => {
    const inputs = [
      input("reach_cm", { unit: "cm" }),
      input("touch_cm", { unit: "cm", tries: 3 }),
      input("gap_cm", { unit: "cm", sides: ["right", "left"], tries: 2 }),
      input("made", { kind: "yes_no", tries: 2 }),
      input("lift", { kind: "choice" }),
      input("points", {
        kind: "points",
        points: [
          ["heels_down", "Heels down"],
          ["chest_up", "Chest up"],
        ],
      }),
      input("empty"),
    ];
    const text = {
      reach_cm: "2 28",
      "touch_cm.1": "271",
      "touch_cm.2": "x",
      "touch_cm.3": "274,5",
      "gap_cm.left.1": "−3.5",
      "made.1": "yes",
      "made.2": "no",
      lift: "deadlift",
      "points.heels_down": "no",
      "points.chest_up": "yes",
    };
    expect(readings(inputs, text)).toEqual({
      reach_cm: 228,
      touch_cm: [271, null, 274.5],
      gap_cm: { left: [-3.5] },
      made: [true, false],
      lift: "deadlift",
      points: { heels_down: false, chest_up: true },
    });
  });

  it("say what is expected where they are none", () => {
    const wrong = readings([input("time_s", { unit: "s" })], { time_s: "soon" });
    expect(isWrong(wrong) && wrong.field === "time_s" && wrong.message.includes("7:02")).toBe(true);
  });
});
