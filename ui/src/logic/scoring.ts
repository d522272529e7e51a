import type { ScoringTable } from "@/api/types";
import { typed } from "./typed";

/** A line of the grid as it is typed. */
export interface GridRow {
  place: number;
  sex: string;
  from: string;
  to: string;
  cells: string[];
}

/** A table's rows as a grid: a column for each number of points that is given anywhere. */
export function cells(rows: ScoringTable["rows"]): { columns: string[]; grid: GridRow[] } {
  const points = [...new Set(rows.flatMap((r) => r.steps.map((s) => s.points)))].sort((a, b) => a - b);
  const grid = rows.map((r) => ({
    place: r.place,
    sex: r.sex ?? "",
    from: r.age_from == null ? "" : String(r.age_from),
    to: r.age_to == null ? "" : String(r.age_to),
    cells: points.map((p) => String(r.steps.find((s) => s.points === p)?.raw ?? "")),
  }));
  return { columns: points.map(String), grid };
}

/** The rows that were typed, or what is wrong in words. Lines without a raw score are left out. */
export function rowsOf(columns: string[], grid: GridRow[]): ScoringTable["rows"] | string {
  const points = columns.map((c) => typed(c, ""));
  if (points.some((p) => p === null)) return "Use a number of points as the heading of each column.";
  const rows = [];
  for (const [k, row] of grid.entries()) {
    const steps = [];
    for (const [c, text] of row.cells.entries()) {
      if (!text?.trim()) continue;
      const raw = typed(text, "");
      if (raw === null) return `Line ${k + 1}: “${text}” is no raw score. Type a number such as 12.5.`;
      steps.push({ raw, points: points[c]! });
    }
    const ages = [row.from, row.to].map((a) => (a.trim() ? Number(a) : null));
    if (ages.some((a) => a !== null && !(Number.isInteger(a) && a >= 0 && a <= 110))) return `Line ${k + 1}: ages are whole years.`;
    const sex = (row.sex || null) as "male" | "female" | null;
    if (steps.length) rows.push({ place: row.place, sex, age_from: ages[0] ?? null, age_to: ages[1] ?? null, steps });
  }
  return rows;
}
