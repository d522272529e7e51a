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

const many = (n: number, one: string, several: string) => `${n} ${n === 1 ? one : several}`;

/** What is to be done before the list can be added, in words; nothing where it can. */
export function counted(rows: ListRow[]): string {
  const going = rows.filter((r) => r.what !== "leave");
  // Who is on record already needs no birth date here.
  const stands = (r: ListRow) => r.said.faults.filter((f) => r.what !== "known" || f.field !== "born");
  const cells = going.reduce((n, r) => n + stands(r).length, 0);
  const open = going.filter(isOpen).length;
  const parts = [cells && many(cells, "cell to correct", "cells to correct"), open && many(open, "line to decide", "lines to decide")];
  return parts.filter(Boolean).join(", ");
}
