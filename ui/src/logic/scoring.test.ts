import { describe, expect, it } from "vitest";
import { cells, rowsOf } from "./scoring";

const rows = [
  {
    place: 0,
    sex: null,
    age_from: null,
    age_to: null,
    steps: [
      { raw: 30, points: 1 },
      { raw: 60, points: 3 },
    ],
  },
  { place: 1, sex: "female" as const, age_from: 18, age_to: 29, steps: [{ raw: 16.5, points: 2 }] },
];

describe("the grid of a scoring table", () => {
  it("has a column for each number of points and gives the same rows back", () => {
    const { columns, grid } = cells(rows);
    expect(columns).toEqual(["1", "2", "3"]);
    expect(grid.map((r) => r.cells)).toEqual([
      ["30", "", "60"],
      ["", "16.5", ""],
    ]);
    expect(rowsOf(columns, grid)).toEqual(rows);
  });
  it("says which line holds no number, and takes a comma", () => {
    const { columns, grid } = cells(rows);
    grid[1]!.cells[1] = "16,5";
    expect(rowsOf(columns, grid)).toEqual(rows);
    grid[1]!.cells[1] = "fast";
    expect(rowsOf(columns, grid)).toContain("Line 2: “fast”");
    expect(rowsOf(["one"], [])).toContain("number of points");
  });
});
