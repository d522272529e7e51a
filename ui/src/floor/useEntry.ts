/** A field on the sheet: what is typed in it, in the client's units; an unusual value is asked about once. */
import { ref, useTemplateRef, watch } from "vue";
import type { Sheet } from "./useSheet";
import { expected, typed } from "@/logic/typed";
import { toShown } from "@/logic/units";
import { question } from "@/logic/usual";
import { useRun } from "@/stores/run";
import { isWriting } from "./isWriting";

export function useEntry(sheet: Sheet) {
  const run = useRun();
  const { row, units, wrong } = sheet;
  const text = ref("");
  const field = useTemplateRef<{ focus: () => void; blur: () => void; select: () => void }>("field");
  /** An unusual value that was asked about. */
  let meant: string | null = null;

  /** What is typed as a number of the row's own unit; nothing where it is none, or is asked about. `sign`: which side of zero. */
  function number(sign: 1 | -1 = 1): number | null {
    const value = typed(text.value, row.value.unit, units.value);
    wrong.value = value === null ? expected(row.value.unit, units.value) : null;
    const odd =
      value === null || sheet.counted.value ? null : question(sign * value, row.value.unit, row.value.usual, units.value, row.value.signs);
    // What is merely unusual is asked about; the same key again keeps it.
    if (odd && meant !== text.value) {
      meant = text.value;
      wrong.value = `${odd.ask} Correct it, or press again to keep it.`;
      // What is typed next replaces it.
      field.value?.select();
      return null;
    }
    return value;
  }
  function clear() {
    text.value = "";
    wrong.value = null;
  }
  /** A number of this unit as it stands in the field. */
  const put = (value: number, unit = row.value.unit) => (text.value = String(toShown(value, unit, units.value)));

  watch(
    () => run.refused,
    (refused) => {
      if (!refused) return;
      wrong.value = refused.message;
      const { event } = refused;
      if (!text.value && event.kind === "taken" && typeof event.value === "number") put(event.value);
      if (!text.value && event.kind === "lifted") put(event.load_kg, "kg");
    },
  );
  /** The field is the next to be typed in, unless a remark or a reason is being written. */
  function focus() {
    if (sheet.started.value && !isWriting()) field.value?.focus();
  }
  return { text, field, number, clear, put, focus };
}
