/** A list of results, names × readings: as it is pasted from a spreadsheet, read from a file, or typed from paper; and given back. */
import Papa from "papaparse";
import type { GroupSheet, ListColumn, SheetLine } from "@/api/types";
import { csv } from "./csv";
import { hasSign } from "./signs";
import { expected, typed } from "./typed";
import { shownUnit } from "./units";
import { question } from "./usual";

/** One try of one reading of one test. */
export interface Cell {
  place: number;
  /** Which of the test's columns. */
  column: number;
  /** The try, from 1. */
  nth: number;
  /** Unit that stands in the heading of a file. */
  unit?: string;
}

/** A line of the list: whose it is, and its cells as they were typed. */
export interface Row {
  id: string;
  person: string | null;
  /** What the line calls them, where nobody was found. */
  called: string;
  cells: string[];
  /** Its unusual values are meant. */
  keep: boolean;
  /** It is left out. */
  out: boolean;
}

/** What the server found wrong with one test of one person. */
export interface SheetFault {
  person: string;
  place: number;
  field: string | null;
  message: string;
}

export interface ReadText {
  cells: Cell[];
  rows: Omit<Row, "id">[];
  /** Headings that name nothing that is tested here, with the column they stand over. */
  unknown: { at: number; heading: string }[];
}

const NAME = ["name", "full name", "client", "person", "athlete", "pupil", "student"];
const NUMBER = ["no", "no.", "nr", "nr.", "number", "#", "shirt", "shirt number"];
/** A try that does not count. */
const STRUCK = ["-", "–", "—", "x", "×"];

export const key = (text: string) =>
  text
    .normalize("NFD")
    .replace(/\p{M}/gu, "")
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, " ")
    .trim();
/** A name whatever the order of its words. */
const nameKey = (name: string) => key(name).split(" ").sort().join(" ");

export const columnOf = (sheet: GroupSheet, cell: Cell): ListColumn =>
  sheet.tests.find((t) => t.place === cell.place)!.columns[cell.column]!;

/** What a column is called: the test, the reading where it has several, the try where it has more than one. */
export function heading(sheet: GroupSheet, cell: Cell): { test: string; reading: string } {
  const test = sheet.tests.find((t) => t.place === cell.place)!;
  const of = test.columns[cell.column]!;
  const reading = [test.columns.length > 1 ? of.label : "", of.tries > 1 ? `try ${cell.nth}` : ""].filter(Boolean).join(", ");
  return { test: test.name, reading };
}
const title = (sheet: GroupSheet, cell: Cell) => {
  const { test, reading } = heading(sheet, cell);
  const unit = columnOf(sheet, cell).unit;
  return [test, reading].filter(Boolean).join(" · ") + (unit ? ` (${unit})` : "");
};

/** So many tries are shown of a column before anything is typed. */
const TRIES_SHOWN = 3;

/** Every column of these tests, with as many tries as are taken as a rule. */
export function allCells(sheet: GroupSheet, places: number[]): Cell[] {
  const tests = sheet.tests.filter((t) => places.includes(t.place));
  return tests.flatMap((t) =>
    t.columns.flatMap((of, column) =>
      Array.from({ length: Math.min(of.tries, TRIES_SHOWN) }, (_, k) => ({ place: t.place, column, nth: k + 1 })),
    ),
  );
}

/** Everybody with nothing typed yet: a sheet to fill in from paper. */
export const emptyRows = (sheet: GroupSheet, cells: Cell[]): Omit<Row, "id">[] =>
  sheet.lines.filter((l) => !l.out).map((l) => ({ person: l.person, called: l.name, cells: cells.map(() => ""), keep: false, out: false }));

/** Which column a heading names; the next try where it names none. */
function named(sheet: GroupSheet, places: number[], text: string, taken: Cell[]): Cell | null {
  const unit = /\(([^()]*)\)\s*$/.exec(text)?.[1]?.trim();
  const bare = key(unit === undefined ? text : text.replace(/\([^()]*\)\s*$/, ""));
  const all = sheet.tests
    .filter((t) => places.includes(t.place))
    .flatMap((t) => t.columns.map((of, column) => ({ place: t.place, column, of, test: t })));
  const words = (c: (typeof all)[number]): string[] => {
    const alone = c.test.columns.length === 1;
    return [`${c.test.name} ${c.of.label}`, c.of.label, ...(alone ? [c.test.name] : [])].map(key);
  };
  const last = /^(.*?)(?: (?:try|attempt))? (\d{1,2})$/.exec(bare);
  for (const [name, nth] of [[bare, null] as const, ...(last ? [[last[1]!.trim(), Number(last[2])] as const] : [])]) {
    const found = all.filter((c) => words(c).includes(name));
    // A reading of one test alone: two that are called alike are told apart by their tests.
    if (found.length !== 1) continue;
    const { place, column, of } = found[0]!;
    const isFree = (n: number) => !taken.some((t) => t.place === place && t.column === column && t.nth === n);
    const next = nth ?? Array.from({ length: of.tries }, (_, k) => k + 1).find(isFree) ?? of.tries + 1;
    if (next > of.tries) continue;
    return { place, column, nth: next, ...(unit ? { unit } : {}) };
  }
  return null;
}

/** Reads a pasted block or a file. Without headings its cells stand in the order of the columns, and, without a name or a number in
 * front, in the order of the people. `chosen`: what a heading was said to be, by its column. */
export function readText(text: string, sheet: GroupSheet, places: number[], chosen: Record<number, Cell> = {}): ReadText {
  const found = Papa.parse<string[]>(text.replace(/^\ufeff/, "").trimEnd(), { skipEmptyLines: "greedy", ...separator(text) });
  const lines = found.data.map((line) => line.map((cell) => cell.trim().replace(/^'(?=[=+\-@])/, "")));
  const first = lines[0] ?? [];
  const isName = (cell: string) => NAME.includes(cell.toLowerCase());
  const isNumber = (cell: string) => NUMBER.includes(cell.toLowerCase());
  const taken: Cell[] = Object.values(chosen);
  const heads = first.map((cell, at) => {
    if (isName(cell) || isNumber(cell)) return null;
    const cellOf = chosen[at] ?? named(sheet, places, cell, taken);
    if (cellOf && !chosen[at]) taken.push(cellOf);
    return cellOf;
  });
  const hasHeads = first.some((cell) => isName(cell) || isNumber(cell)) || heads.some((h) => h !== null);
  let [nameAt, numberAt] = [first.findIndex(isName), first.findIndex(isNumber)];
  const body = hasHeads ? lines.slice(1) : lines;
  let columns: (Cell | null)[] = heads;
  if (!hasHeads) {
    const names = new Set(sheet.lines.map((l) => nameKey(l.name)));
    const numbers = new Set(sheet.lines.flatMap((l) => (l.number == null ? [] : [String(l.number)])));
    const most = (at: number, has: (cell: string) => boolean) => body.filter((l) => has(l[at] ?? "")).length * 2 > body.length;
    const isPerson = (at: number) => most(at, (cell) => names.has(nameKey(cell)) || /\p{L}{3}/u.test(cell));
    // The numbers of the group, each once: what is measured is not.
    const wears = (at: number) => most(at, (c) => numbers.has(c)) && new Set(body.map((l) => l[at])).size === body.length;
    let at = 0;
    if (wears(0) && body.some((l) => l.length > 1)) numberAt = at++;
    if (isPerson(at)) nameAt = at++;
    const all = fillingUp(sheet, places, Math.max(0, ...body.map((l) => l.length)) - at);
    columns = [...Array<null>(at).fill(null), ...all];
  }
  const isOther = (cell: string, k: number) => cell && heads[k] === null && !isName(cell) && !isNumber(cell);
  const unknown = hasHeads ? first.flatMap((cell, k) => (isOther(cell, k) ? [{ at: k, heading: cell }] : [])) : [];
  const cells = columns.filter((c) => c !== null);
  const at = columns.flatMap((c, k) => (c ? [k] : []));
  const byOrder = nameAt < 0 && numberAt < 0;
  const rows = body.map((line, nth) => {
    const [name, number] = [nameAt < 0 ? "" : (line[nameAt] ?? ""), numberAt < 0 ? "" : (line[numberAt] ?? "")];
    const person = byOrder ? (sheet.lines[nth] ?? null) : whose(sheet, name, number);
    const called = [number, name].filter(Boolean).join(" ") || `line ${nth + 1}`;
    return { person: person?.person ?? null, called, cells: at.map((k) => line[k] ?? ""), keep: false, out: false };
  });
  return { cells, rows, unknown };
}

/** Tabs of a spreadsheet, semicolons where commas are decimal; else what stands most. */
function separator(text: string): { delimiter?: string } {
  if (text.includes("\t")) return { delimiter: "\t" };
  return text.includes(";") ? { delimiter: ";" } : {};
}

/** The columns in their order, as many as stand in a line: the tries of one reading, then those of the next. */
function fillingUp(sheet: GroupSheet, places: number[], wide: number): Cell[] {
  const columns = sheet.tests
    .filter((t) => places.includes(t.place))
    .flatMap((t) => t.columns.map((of, column) => ({ place: t.place, column, of })));
  const each = columns.length === 1 ? wide : Math.max(1, Math.floor(wide / Math.max(1, columns.length)));
  return columns
    .flatMap(({ place, column, of }) => Array.from({ length: Math.min(of.tries, each) }, (_, k) => ({ place, column, nth: k + 1 })))
    .slice(0, wide);
}

function whose(sheet: GroupSheet, name: string, number: string): SheetLine | null {
  const worn = number ? sheet.lines.filter((l) => l.number != null && String(l.number) === number.replace(/^0+(?=\d)/, "")) : [];
  const called = name ? sheet.lines.filter((l) => nameKey(l.name) === nameKey(name)) : [];
  if (name && number) return worn.find((l) => called.includes(l)) ?? (called.length === 1 && !worn.length ? called[0]! : null);
  const found = name ? called : worn;
  return found.length === 1 ? found[0]! : null;
}

/** What a cell says: nothing, a try that does not count (null), a number as it is stored, or what is wrong with it. */
export interface ReadCell {
  value?: number | null;
  wrong?: string;
  /** Asked about, not refused. */
  ask?: string;
  /** Typed with it in one cell: the shuttle of `20-4`. */
  shuttle?: number;
}

/** A level and its shuttle in one cell, as a recorder's sheet has them. */
const LEVEL_AND_SHUTTLE = /^(\d{1,2})\s*[-–/]\s*(\d{1,2})$/;

export function readCell(text: string, of: ListColumn, units: "metric" | "imperial", unit?: string): ReadCell {
  const plain = text.trim();
  if (!plain) return {};
  if (STRUCK.includes(plain.toLowerCase())) return { value: null };
  let [amount, sign] = [plain, 1];
  if (of.signs) {
    const { minus, plus } = of.signs;
    const side = [minus, ...(plus ? [plus] : [])].find((word) => plain.toLowerCase().startsWith(word.toLowerCase()));
    if (side) [amount, sign] = [plain.slice(side.length).trim(), side === minus ? -1 : 1];
    else if (hasSign(plain)) return { wrong: `Type “${minus} 3”${plus ? ` or “${plus} 3”` : ""}, without a sign.` };
    else if (plus && !/^0+([.,]0*)?$/.test(plain)) return { wrong: `${plain}: ${minus} or ${plus}? Type it in front.` };
    else if (!plus) sign = -1;
  }
  // A heading that names a unit says what a bare number is.
  const bare = /^[\d\s.,]+$/.test(amount);
  const named = unit !== undefined && bare;
  const value = named ? typed(unit && unit !== of.unit ? `${amount} ${unit}` : amount, of.unit) : typed(amount, of.unit, units);
  if (value === null) return { wrong: expected(of.unit, units) };
  const odd = question(sign * value || 0, of.unit, of.usual, units, of.signs);
  return { value: sign * value || 0, ...(odd ? { ask: odd.ask } : {}) };
}

export interface ReadRow {
  cells: ReadCell[];
  /** What is wrong with the line as a whole. */
  wrong?: string;
}

/** What each line says; two lines of one person are told, and times of two kinds in one column are asked about. */
export function readRows(rows: Row[], cells: Cell[], sheet: GroupSheet): ReadRow[] {
  const clocks = cells.map((cell, k) => columnOf(sheet, cell).unit === "s" && rows.some((r) => !r.out && r.cells[k]?.includes(":")));
  const seen = new Map<string, number>();
  return rows.map((row, nth) => {
    if (row.out) return { cells: row.cells.map(() => ({})) };
    const line = sheet.lines.find((l) => l.person === row.person);
    if (!line)
      return { cells: row.cells.map(() => ({})), wrong: `Nobody here is called “${row.called}”. Choose who it is, or leave the line out.` };
    const before = seen.get(line.person);
    seen.set(line.person, nth);
    const read = cells.map((cell, k): ReadCell => {
      const text = row.cells[k] ?? "";
      const own = line.tests.find((t) => t.place === cell.place)!;
      if (!text.trim()) return {};
      if (own.done) return { wrong: "There is a result of this test already. Correct it on its own page." };
      if (!own.asked[cell.column]) return { wrong: `${line.name} does this test another way. Leave this empty.` };
      const test = sheet.tests.find((t) => t.place === cell.place)!;
      const both =
        columnOf(sheet, cell).input === "level" && test.columns.some((c) => c.input === "shuttle") && LEVEL_AND_SHUTTLE.exec(text.trim());
      if (both) {
        const [level, shuttle] = [Number(both[1]), Number(both[2])];
        const beside = cells.findIndex((c) => c.place === cell.place && columnOf(sheet, c).input === "shuttle");
        const other = row.cells[beside]?.trim();
        if (other && other !== String(shuttle))
          return { wrong: `${text.trim()} says shuttle ${shuttle}, its own column says ${other}. Correct one.` };
        return { value: level, shuttle };
      }
      const found = readCell(text, columnOf(sheet, cell), line.units, cell.unit);
      if (clocks[k] && found.value != null && !found.ask && /^\d{1,2}[.,]\d{1,2}$/.test(text.trim()))
        return { ...found, ask: `${text.trim()} seconds? Others here are minutes and seconds, such as 7:02.` };
      return found;
    });
    const wrong =
      before !== undefined
        ? `${line.name} stands in line ${before + 1} already.`
        : line.out && read.some((c) => c.value !== undefined)
          ? line.out
          : undefined;
    return { cells: read, ...(wrong ? { wrong } : {}) };
  });
}

/** How many things are to be put right before the list can be stored, and how many values to be looked at. */
export function toDo(rows: Row[], read: ReadRow[]): { wrong: number; asked: number } {
  const going = read.filter((_, k) => !rows[k]!.out);
  const wrong = going.reduce((n, r) => n + (r.wrong ? 1 : 0) + r.cells.filter((c) => c.wrong).length, 0);
  const asked = read.reduce((n, r, k) => n + (rows[k]!.out || rows[k]!.keep ? 0 : r.cells.filter((c) => c.ask).length), 0);
  return { wrong, asked };
}

/** The results that the lines make, each with a key of its own that stays when it is sent again. */
export function results(rows: Row[], read: ReadRow[], cells: Cell[], sheet: GroupSheet, id: (row: Row, place: number) => string) {
  const places = [...new Set(cells.map((c) => c.place))];
  return rows.flatMap((row, nth) => {
    if (row.out || !row.person) return [];
    return places.flatMap((place) => {
      const test = sheet.tests.find((t) => t.place === place)!;
      const own = test.columns.flatMap((of, column) => {
        const tries = cells.flatMap((c, k) =>
          c.place === place && c.column === column ? [{ nth: c.nth, value: read[nth]!.cells[k]!.value }] : [],
        );
        tries.sort((a, b) => a.nth - b.nth);
        const values = tries.map((t) => t.value).filter((v) => v !== undefined);
        const beside =
          of.input === "shuttle" ? cells.findIndex((c, k) => c.place === place && read[nth]!.cells[k]!.shuttle !== undefined) : -1;
        if (beside >= 0 && !values.length) values.push(read[nth]!.cells[beside]!.shuttle!);
        return values.length ? [{ input: of.input, side: of.side, tries: values }] : [];
      });
      return own.length ? [{ id: id(row, place), person: row.person!, place, cells: own }] : [];
    });
  });
}

/** The list as a file: everybody with what is stored. What is read from it and stored gives the same file again. */
export function written(sheet: GroupSheet, places: number[]): string {
  const tests = sheet.tests.filter((t) => places.includes(t.place));
  const taken = (place: number, column: number) =>
    Math.max(1, ...sheet.lines.map((l) => l.tests.find((t) => t.place === place)!.tries[column]!.length));
  const cells: Cell[] = tests.flatMap((t) =>
    t.columns.flatMap((_, column) => Array.from({ length: taken(t.place, column) }, (_, k) => ({ place: t.place, column, nth: k + 1 }))),
  );
  const shown = (cell: Cell, line: SheetLine) => {
    const value = line.tests.find((t) => t.place === cell.place)!.tries[cell.column]![cell.nth - 1];
    if (value === undefined) return null;
    if (value === null) return "x";
    const { signs } = columnOf(sheet, cell);
    const side = value < 0 ? signs?.minus : value > 0 ? signs?.plus : null;
    return side ? `${side} ${Math.abs(value)}` : value;
  };
  return csv([
    ["No.", "Name", ...cells.map((c) => title(sheet, c))],
    ...sheet.lines.map((l) => [l.number ?? null, l.name, ...cells.map((c) => shown(c, l))]),
  ]);
}

/** The unit that a column is typed in, beside its heading. */
export function unitOf(sheet: GroupSheet, cell: Cell): string {
  const all = new Set(sheet.lines.map((l) => l.units));
  const { unit } = columnOf(sheet, cell);
  if (cell.unit !== undefined) return cell.unit;
  return all.size === 1 ? shownUnit(unit, [...all][0]!) : unit;
}
