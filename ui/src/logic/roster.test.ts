import { expect, it } from "vitest";
import { counted, faults, isOpen, type ListRow } from "./roster";

const row = (more: Partial<ListRow["said"]> = {}, what: ListRow["what"] = null): ListRow => {
  const cells = { name: "Maud Ellery", born: "2/4/1990", sex: "", height: "", mass: "", playing_group: "", number: "" };
  return { id: "1", cells, said: { ...cells, born_on: "1990-04-02", faults: [], near: [], twin: null, ...more }, what };
};
const bad = { faults: [{ field: "born", message: "Type the birth date." }] };
const near = { near: [{ id: "2", name: "Maud Ellery", born: "1990-04-02", in_group: false }] };

it("says what stands in the way of a list", () => {
  expect(counted([row()])).toBe("");
  expect(counted([row(bad), row(bad), row(near)])).toBe("2 cells to correct, 1 line to decide");
  expect(counted([row({ twin: 1 })])).toBe("1 line to decide");
});

it("asks nothing more of a line that was decided", () => {
  expect(isOpen(row(near, "add"))).toBe(false);
  expect(counted([row({ ...near, ...bad }, "leave"), row(near, "add")])).toBe("");
});

it("asks for no birth date of somebody who is known and only put into a group", () => {
  expect(counted([row({ ...near, ...bad }, "known")])).toBe("");
  expect([row(bad), row(bad, "known"), row(bad, "leave")].map((r) => faults(r).length)).toEqual([1, 0, 0]);
  const worn = { faults: [{ field: "number", message: "Number 7 is worn." }] };
  expect(counted([row({ ...near, ...worn }, "known")])).toBe("1 cell to correct");
});
