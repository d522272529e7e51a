import { describe, expect, it } from "vitest";
import { askedOnce } from "./askedOnce";

const jump = { unit: "cm", usual: { from: 180, to: 360 } };
describe("a value of many", () => {
  it("is read in its unit", () => {
    expect(askedOnce("281,5", jump, "metric", 1, null)).toEqual({ value: 281.5 });
    expect(askedOnce("6.5", { unit: "cm" }, "metric", -1, null)).toEqual({ value: -6.5 });
  });
  it("that cannot be read says what to type", () => expect(askedOnce("far", jump, "metric", 1, null)).toMatchObject({ asked: false }));
  it("that is unusual is asked about once", () => {
    expect(askedOnce("2.81", jump, "metric", 1, null)).toMatchObject({ asked: true });
    expect(askedOnce("2.81", jump, "metric", 1, "2.81")).toEqual({ value: 2.81 });
    expect(askedOnce("28.1", jump, "metric", 1, "2.81")).toMatchObject({ asked: true });
  });
});
