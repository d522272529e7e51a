/** Formulas at the start of a cell, also after the separators of other countries. */
const FORMULA = /(^|[;\t|\n\r][ "\u00a0]*)(?='*[=+\-@\t\r])/g;

/** A table as CSV: what may hold a comma, a quote or a line break is quoted, and what a spreadsheet would run is made text. */
export function csv(rows: (string | number | null | undefined)[][]): string {
  const cell = (value: string | number | null | undefined) => {
    let text = value == null ? "" : String(value);
    if (typeof value === "string") text = text.replace(FORMULA, "$1'");
    return /[",\n\r]/.test(text) ? `"${text.replaceAll('"', '""')}"` : text;
  };
  return rows.map((row) => row.map(cell).join(",")).join("\r\n") + "\r\n";
}

/** Gives a table to the person at the screen as a file. */
export const saveCsv = (name: string, rows: Parameters<typeof csv>[0]) => save(name, csv(rows));

/** The same for a table that is written already. */
export function save(name: string, text: string) {
  const link = document.createElement("a");
  // A spreadsheet takes a file without this mark for another encoding.
  link.href = URL.createObjectURL(new Blob(["\ufeff", text], { type: "text/csv;charset=utf-8" }));
  link.download = `${name.replace(/[^\p{L}\p{N}]+/gu, "-")}.csv`;
  link.click();
  URL.revokeObjectURL(link.href);
}
