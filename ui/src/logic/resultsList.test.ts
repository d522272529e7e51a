import { describe, expect, it } from "vitest";
import type { GroupSheet, ListColumn } from "@/api/types";
import { allCells, emptyRows, readCell, readRows, readText, results, toDo, written, type Row } from "./resultsList";

const column = (more: Partial<ListColumn>): ListColumn => ({
  input: "touch_cm",
  label: "Touch",
  unit: "cm",
  tries: 1,
  required: true,
  ...more,
});
const jump = [column({ input: "touch_cm", label: "Touched", tries: 3, usual: { from: 180, to: 360 } })];
const reach = [column({ input: "reach_cm", label: "Reach", signs: { minus: "short of the toes", plus: "past the toes" } })];
const mile = [column({ input: "time_s", label: "Time", unit: "s" })];
const person = (n: number, name: string, units: "metric" | "imperial" = "metric") => ({
  person: `p${n}`,
  name,
  number: n,
  units,
  tests: [jump, reach, mile].map((of, place) => ({
    place,
    done: false,
    asked: of.map(() => true),
    tries: of.map((): (number | null)[] => []),
  })),
});
const sheet = (): GroupSheet => ({
  tests: [
    { place: 0, protocol: "jump", name: "Vertical jump", columns: jump },
    { place: 1, protocol: "reach", name: "Sit and reach", columns: reach },
    { place: 2, protocol: "mile", name: "Mile run", columns: mile },
  ],
  lines: [person(7, "Odd Varga"), person(11, "Maud Askvik"), person(4, "Noor Sandell", "imperial")],
});
const rows = (text: string, places = [0]) => {
  const found = readText(text, sheet(), places);
  return { ...found, rows: found.rows.map((r, k): Row => ({ ...r, id: `r${k}` })) };
};
const who = (text: string, places?: number[]) => rows(text, places).rows.map((r) => [r.person, ...r.cells]);

describe("a block that is pasted", () => {
  it("goes by the order of the group where it has neither names nor numbers", () => {
    expect(who("281\t284\t290\n270\t271\tx")).toEqual([
      ["p7", "281", "284", "290"],
      ["p11", "270", "271", "x"],
    ]);
  });
  it("goes by name in any order and with the surname first", () => {
    expect(who("Askvik, Maud;270;271\nodd varga;281;284")).toEqual([
      ["p11", "270", "271"],
      ["p7", "281", "284"],
    ]);
  });
  it("goes by number", () => {
    expect(who("11\t270\n7\t281\n4\t110")).toEqual([
      ["p11", "270"],
      ["p7", "281"],
      ["p4", "110"],
    ]);
  });
  it("names its columns, and those of several tests", () => {
    const found = rows("Name;Mile run;Colour;Vertical jump try 2 (in);Vertical jump\nOdd Varga;7:02;red;112;281", [0, 1, 2]);
    expect(found.cells).toEqual([
      { place: 2, column: 0, nth: 1 },
      { place: 0, column: 0, nth: 2, unit: "in" },
      { place: 0, column: 0, nth: 1 },
    ]);
    expect(found.unknown).toEqual([{ at: 2, heading: "Colour" }]);
    expect(found.rows[0]!.cells).toEqual(["7:02", "112", "281"]);
    const said = readText("Name;Colour\nOdd Varga;281", sheet(), [0], { 1: { place: 0, column: 0, nth: 3 } });
    expect([said.cells, said.unknown, said.rows[0]!.cells]).toEqual([[{ place: 0, column: 0, nth: 3 }], [], ["281"]]);
  });
  it("keeps decimal commas beside semicolons, and a mark of a spreadsheet away", () => {
    expect(who("\ufeffName;Mile run\r\nOdd Varga;421,5\r\n", [2])).toEqual([["p7", "421,5"]]);
  });
});

describe("a cell", () => {
  const of = jump[0]!;
  it.each([
    ["", {}],
    ["x", { value: null }],
    ["–", { value: null }],
    ["281,5", { value: 281.5 }],
    ["9 ft 3 in", { value: 281.94 }],
    ["2.81", { value: 2.81, ask: "2.81 cm? Most are between 180 cm and 360 cm. Did you mean 281 cm?" }],
  ])("%s", (text, want) => expect(readCell(text, of, "metric")).toEqual(want));
  it("is in the client’s units, unless the heading names one", () => {
    expect(readCell("110", of, "imperial").value).toBeCloseTo(279.4);
    expect(readCell("281", of, "imperial", "cm")).toEqual({ value: 281 });
    expect(readCell("110", of, "metric", "in").value).toBeCloseTo(279.4);
  });
  it("has no sign: the side stands in front", () => {
    expect(readCell("short of the toes 3", reach[0]!, "metric")).toEqual({ value: -3 });
    expect(readCell("past the toes 3,5", reach[0]!, "metric")).toEqual({ value: 3.5 });
    expect(readCell("0", reach[0]!, "metric")).toEqual({ value: 0 });
    expect(readCell("-3", reach[0]!, "metric").wrong).toContain("without a sign");
    expect(readCell("3", reach[0]!, "metric").wrong).toContain("in front");
  });
  it("that cannot be read says what to type", () => expect(readCell("far", of, "metric").wrong).toContain("centimetres"));
});

describe("lines that are looked through", () => {
  it("asks who a name is, and tells a person who stands twice", () => {
    const found = rows("Name;Vertical jump\nOd Verga;281\nOdd Varga;281\nOdd Varga;284");
    const read = readRows(found.rows, found.cells, sheet());
    expect(read.map((r) => r.wrong)).toEqual([
      "Nobody here is called “Od Verga”. Choose who it is, or leave the line out.",
      undefined,
      "Odd Varga stands in line 2 already.",
    ]);
    expect(toDo(found.rows, read)).toEqual({ wrong: 2, asked: 0 });
  });
  it("asks about 7.02 among times such as 7:02", () => {
    const found = rows("Name;Mile run\nOdd Varga;7:02\nMaud Askvik;7.02", [2]);
    const read = readRows(found.rows, found.cells, sheet());
    expect(read[0]!.cells[0]).toEqual({ value: 422 });
    expect(read[1]!.cells[0]!.ask).toContain("minutes and seconds");
    expect(toDo(found.rows, read)).toEqual({ wrong: 0, asked: 1 });
    found.rows[1]!.keep = true;
    expect(toDo(found.rows, read)).toEqual({ wrong: 0, asked: 0 });
  });
  it("refuses what is done already and what somebody does another way", () => {
    const now = sheet();
    now.lines[0]!.tests[0]!.done = true;
    now.lines[1]!.tests[0]!.asked = [false];
    const found = rows("281\n270");
    expect(readRows(found.rows, found.cells, now).map((r) => r.cells[0]!.wrong)).toEqual([
      "There is a result of this test already. Correct it on its own page.",
      "Maud Askvik does this test another way. Leave this empty.",
    ]);
  });
  it("makes a result of each test of each line", () => {
    const found = rows("No.;Vertical jump;Vertical jump;Mile run\n7;281;x;7:02\n11;;;6:50", [0, 1, 2]);
    const made = results(found.rows, readRows(found.rows, found.cells, sheet()), found.cells, sheet(), (r, p) => `${r.id}/${p}`);
    expect(made).toEqual([
      { id: "r0/0", person: "p7", place: 0, cells: [{ input: "touch_cm", side: undefined, tries: [281, null] }] },
      { id: "r0/2", person: "p7", place: 2, cells: [{ input: "time_s", side: undefined, tries: [422] }] },
      { id: "r1/2", person: "p11", place: 2, cells: [{ input: "time_s", side: undefined, tries: [410] }] },
    ]);
  });
  it("from paper has everybody who is not out, with three tries", () => {
    const now = sheet();
    now.lines[1]!.out = "away";
    const cells = allCells(now, [0]);
    expect(cells.map((c) => c.nth)).toEqual([1, 2, 3]);
    expect(emptyRows(now, cells).map((r) => r.person)).toEqual(["p7", "p4"]);
  });
});

/** Stores what a list says, as the server does. */
function stored(text: string): GroupSheet {
  const now = sheet();
  const found = rows(text, [0, 1, 2]);
  for (const r of results(found.rows, readRows(found.rows, found.cells, now), found.cells, now, () => "id")) {
    const of = now.lines.find((l) => l.person === r.person)!.tests[r.place]!;
    for (const c of r.cells) of.tries[now.tests[r.place]!.columns.findIndex((k) => k.input === c.input)] = c.tries;
  }
  return now;
}

describe("the list as a file", () => {
  it("is read back to the same file, whatever it holds", () => {
    let seed = 7;
    const random = () => (seed = (seed * 16807) % 2147483647) / 2147483647;
    for (let n = 0; n < 200; n++) {
      const now = sheet();
      for (const l of now.lines) {
        l.tests[0]!.tries[0] = Array.from({ length: Math.floor(random() * 4) }, () =>
          random() < 0.2 ? null : Math.round(random() * 3600) / 10,
        );
        l.tests[1]!.tries[0] = random() < 0.3 ? [] : [Math.round((random() - 0.5) * 400) / 10];
        l.tests[2]!.tries[0] = random() < 0.3 ? [] : [Math.round(random() * 1e5) / 100];
      }
      const file = written(now, [0, 1, 2]);
      expect(written(stored(file), [0, 1, 2])).toBe(file);
    }
  });
});

describe("a run to beeps from a recorder’s sheet", () => {
  const level = column({ input: "level", label: "Last completed level", unit: "level" });
  const shuttle = column({ input: "shuttle", label: "Last completed shuttle of it", unit: "shuttle" });
  const run = (): GroupSheet => ({
    tests: [{ place: 0, protocol: "shuttle-20m", name: "20 m shuttle run", columns: [level, shuttle] }],
    lines: [7, 11].map((n) => ({
      person: `p${n}`,
      name: `Runner ${n}`,
      number: n,
      units: "metric" as const,
      tests: [{ place: 0, done: false, asked: [true, true], tries: [[], []] }],
    })),
  });
  const cells = [
    { place: 0, column: 0, nth: 1 },
    { place: 0, column: 1, nth: 1 },
  ];
  const row = (n: number, ...typed: string[]): Row => ({ id: `r${n}`, person: `p${n}`, called: "", cells: typed, keep: false, out: false });

  it("takes level and shuttle in one cell, and holds the two against each other", () => {
    const all = [row(7, "9-4", ""), row(11, "12", "3")];
    const read = readRows(all, cells, run());
    expect(results(all, read, cells, run(), () => "id").map((r) => r.cells.map((c) => [c.input, ...c.tries]))).toEqual([
      [
        ["level", 9],
        ["shuttle", 4],
      ],
      [
        ["level", 12],
        ["shuttle", 3],
      ],
    ]);
    expect(readRows([row(7, "9-4", "5")], cells, run())[0]!.cells[0]!.wrong).toContain("says shuttle 4, its own column says 5");
  });
});
