/** A group's session as a table: what a cell says in each view, how it is sorted, what goes into a file. */
import type { GroupStanding } from "@/api/types";
import { dayShort } from "./dates";

type Line = GroupStanding["lines"][number];
type Cell = NonNullable<Line["cells"][number]>;
export type View = "change" | "mark" | "norm" | "group" | "range";
export const VIEWS: [View, string][] = [
  ["change", "Since last time"],
  ["mark", "Target"],
  ["norm", "Norm"],
  ["group", "In the group"],
  ["range", "Range of the estimate"],
];
/** The views that say something of this session: ranges only where something is estimated. */
export const viewsOf = (of: GroupStanding) => VIEWS.filter(([key]) => key !== "range" || of.measures.some((_, k) => isEstimated(of, k)));
const isEstimated = (of: GroupStanding, k: number) => of.lines.some((l) => l.cells[k]?.range);
const isCalled = (of: GroupStanding, k: number) => of.lines.some((l) => l.cells[k]?.called);

const rounded = (value: number, decimals: number) => value.toFixed(decimals).replace("-", "−");

/** What stands below a value. */
export function below(cell: Cell, view: View): string {
  if (view === "mark") return cell.mark_words ?? "no target";
  if (view === "norm") return cell.norm ?? "no norm";
  if (view === "range") return cell.range ? `95 %: ${cell.range}` : "";
  if (view === "group") {
    const at = cell.in_group;
    if (!cell.counts) return "self-reported: left out";
    return at ? `z ${rounded(at.z, 1)} · T ${rounded(at.t, 0)} · ${rounded(at.percentile, 0)} %` : "too few";
  }
  const change = cell.last == null ? "first time" : `${cell.verdict_words}, was ${cell.last}`;
  return cell.self_reported ? `self-reported, ${change}` : change;
}

/** How strongly what stands below is shown. */
export const tone = (cell: Cell, view: View): "good" | "bad" | "" => {
  if (view === "change") return cell.verdict === "clear_gain" ? "good" : cell.verdict === "clear_loss" ? "bad" : "";
  if (view === "mark") return cell.mark === "reached" ? "good" : "";
  return "";
};

/** By number and name where `by` is null; else by a measure, the best first, and who has none last. */
export function sorted(of: GroupStanding, by: number | null): Line[] {
  if (by === null) return of.lines;
  const sign = of.measures[by]!.lower_is_better ? 1 : -1;
  const value = (l: Line) => l.cells[by]?.value;
  return [...of.lines].sort((a, b) => {
    const [one, two] = [value(a), value(b)];
    if (one === undefined || two === undefined) return Number(one === undefined) - Number(two === undefined);
    return sign * (one - two);
  });
}

/** Why somebody has nothing. */
export const missing = (line: Line) =>
  line.presence === "not_testing" ? "not tested" : line.presence === "here" ? "–" : line.presence === "absent" ? "absent" : "not called";

/** The table as rows of a file; without names where they are to be left out. */
export function rows(of: GroupStanding, lines: Line[], names: boolean): (string | number | null)[][] {
  const heads = of.measures.flatMap((m, k) => {
    const name = `${m.test} · ${m.label}${m.unit ? ` (${m.unit})` : ""}`;
    return [
      name,
      ...(of.self_reported ? [`${name} · taken by`] : []),
      ...(isCalled(of, k) ? [`${name} · level and shuttle`] : []),
      ...(isEstimated(of, k) ? [`${name} · 95 % range`] : []),
      `${name} · last time`,
      `${name} · verdict`,
      `${name} · target`,
      `${name} · place`,
    ];
  });
  const by = (c: Cell | null) => (of.self_reported ? [c ? (c.self_reported ? "self-reported" : "coach") : null] : []);
  const more = (c: Cell | null, k: number) => [
    ...(isCalled(of, k) ? [c?.called ?? null] : []),
    ...(isEstimated(of, k) ? [c?.range ?? null] : []),
  ];
  return [
    ["No.", ...(names ? ["Name"] : []), "Playing group", ...heads],
    ...lines.map((l) => [
      l.number ?? null,
      ...(names ? [l.name] : []),
      l.playing_group ?? null,
      ...l.cells.flatMap((c, k) =>
        c
          ? [c.value, ...by(c), ...more(c, k), c.last ?? null, c.verdict_words ?? null, c.mark_words ?? null, c.rank ?? null]
          : [null, ...by(null), ...more(null, k), null, missing(l), null, null],
      ),
    ]),
  ];
}

/** `11 December 2026` of a session, with its battery. */
export const session = (v: GroupStanding["sessions"][number]) => `${dayShort(v.on)} · ${v.battery_name}`;
