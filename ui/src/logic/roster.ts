/** A pasted list on its way into the record: what still stands in its way. */
import type { ListLine, ListLineRead } from "@/api/types";

/** One line: its cells as they stand, what was said of them, and what was decided where it may be somebody on record. */
export interface ListRow {
  id: string;
  cells: ListLine;
  said: ListLineRead;
  /** Left out; added as somebody new; known and only put into the group. */
  what: "leave" | "add" | "known" | null;
}

/** Whether it may be somebody on record or above and nothing was decided. */
export const isOpen = (row: ListRow) => row.what === null && (row.said.near.length > 0 || row.said.twin != null);

/** What is wrong with its cells. Who is left out has none, and who is on record already needs no birth date here. */
export const faults = (row: ListRow) =>
  row.what === "leave" ? [] : row.said.faults.filter((f) => row.what !== "known" || f.field !== "born");

const many = (n: number, one: string, several: string) => `${n} ${n === 1 ? one : several}`;

/** What is to be done before the list can be added, in words; nothing where it can. */
export function counted(rows: ListRow[]): string {
  const going = rows.filter((r) => r.what !== "leave");
  const cells = going.reduce((n, r) => n + faults(r).length, 0);
  const open = going.filter(isOpen).length;
  const parts = [cells && many(cells, "cell to correct", "cells to correct"), open && many(open, "line to decide", "lines to decide")];
  return parts.filter(Boolean).join(", ");
}
