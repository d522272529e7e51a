import { describe, expect, it } from "vitest";
import type { Input } from "@/api/types";
import { isWrong, missingSide, readings, shownIn, texts, unusual, withinLap, withUntouched } from "./readings";

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

describe("signs are never typed", () => {
  const gap = input("gap_cm", { label: "Gap", unit: "cm", sides: ["right", "left"], tries: 2, signs: { minus: "gap", plus: "overlap" } });
  it("a length and a choice make the number", () => {
    const text = {
      "gap_cm.right.1": "6,5",
      "gap_cm.right.1.sign": "-",
      "gap_cm.left.1": "1",
      "gap_cm.left.1.sign": "+",
      "gap_cm.left.2": "0",
    };
    expect(readings([gap], text)).toEqual({ gap_cm: { right: [-6.5], left: [1, 0] } });
  });
  it("a sign is refused and a choice is asked for", () => {
    expect(readings([gap], { "gap_cm.right.1": "-6.5", "gap_cm.right.1.sign": "-" })).toMatchObject({
      field: "gap_cm",
      message: /without a sign/,
    });
    expect(readings([gap], { "gap_cm.right.1": "6.5" })).toMatchObject({ message: /gap or overlap\? Choose one/ });
  });
  it("only in the variant it belongs to", () => {
    const reach = input("distance_cm", {
      unit: "cm",
      signs: { minus: "short", plus: "past", when: { condition: "variant", is: "wall_gap" } },
    });
    expect(readings([reach], { distance_cm: "27.5" }, { variant: "box" })).toEqual({ distance_cm: 27.5 });
    expect(isWrong(readings([reach], { distance_cm: "7" }, { variant: "wall_gap" }))).toBe(true);
  });
});

describe("a stored result in the fields of its correction", () => {
  it("is read again as it was", () => {
    const inputs = [
      input("gap_cm", { unit: "cm", sides: ["right", "left"], tries: 2, signs: { minus: "gap", plus: "overlap" } }),
      input("waist_cm", { unit: "cm", tries: 3 }),
      input("made", { kind: "yes_no", tries: 2 }),
      input("points", { kind: "points", points: [["chest_up", "Chest up"]] }),
      input("style", { kind: "choice" }),
      input("reps", { unit: "reps" }),
    ];
    const stored = {
      gap_cm: { right: [-6.5, null], left: [1] },
      waist_cm: [92, 93.5],
      made: [true, false],
      points: { chest_up: false },
      style: "knees",
      reps: 12,
    };
    expect(readings(inputs, texts(inputs, stored, shownIn("metric")))).toEqual(stored);
    const inches = texts(inputs, stored, shownIn("imperial"));
    expect(inches["waist_cm.1"]).toBe("36.22");
    const again = readings(inputs, inches, {}, "imperial") as { waist_cm: number[] };
    expect(again.waist_cm[0]).toBeCloseTo(92, 1);
  });
  it("keeps to its last digit what nobody touched", () => {
    const inputs = [input("waist_cm", { unit: "cm" }), input("neck_cm", { unit: "cm" })];
    const stored = { waist_cm: 92.3, neck_cm: 38.1 };
    const fields = { ...texts(inputs, stored, shownIn("imperial")), neck_cm: "15.5" };
    const read = readings(inputs, fields, {}, "imperial") as { waist_cm: number; neck_cm: number };
    expect(read.waist_cm).not.toBe(92.3);
    expect(withUntouched(inputs, read, fields, stored, "imperial")).toEqual({ waist_cm: 92.3, neck_cm: 39.37 });
  });
  it("asks for the side that is missing", () => {
    const angle = input("degrees", { label: "Angle", sides: ["right", "left"], tries: 3 });
    expect(missingSide([angle], { degrees: { left: [92, 93] } })).toMatchObject({ field: "degrees", message: /the right side is missing/ });
    expect(missingSide([angle], { degrees: { left: [92], right: [93] } })).toBeNull();
  });
  it("is asked about where it is unusual", () => {
    const run = input("distance_m", { unit: "m", usual: { from: 150, to: 4500 } });
    expect(unusual([run], { distance_m: 2.05 }, "metric")).toMatchObject({ field: "distance_m", message: /Did you mean 2050 m\?/ });
    expect(unusual([run], { distance_m: 2050 }, "metric")).toBeNull();
    const rest = { ...run, key: "extra_m", usual: { from: 0, to: 5000 } };
    expect(unusual(withinLap([rest], "extra_m", 650, 700), { extra_m: 700 }, "metric")).toMatchObject({ field: "extra_m" });
    expect(unusual(withinLap([rest], "extra_m", 650, 640), { extra_m: 640 }, "metric")).toBeNull();
    expect(unusual(withinLap([rest], "extra_m", undefined, 700), { extra_m: 700 }, "metric")).toBeNull();
    expect(unusual(withinLap([rest], "extra_m", 650, 1400), { extra_m: 1400 }, "metric"), "refused, not asked about").toBeNull();
  });
});
