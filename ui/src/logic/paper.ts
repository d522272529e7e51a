import type { HrMaxMethod } from "@/api/types";

/** A test from paper as its form holds it: everything as it was typed. */
export interface Paper {
  values: Record<string, string>;
  given: Record<string, string | boolean>;
  stages: { load: string; rates: Record<string, string> }[];
  method: "" | HrMaxMethod;
  resting: string;
  measured: string;
  mass: string;
  keepMass: boolean;
  series: string;
  remark: string;
}

/** What is typed at set-up, before a test is run. */
export interface SetUpDraft {
  run: string;
  given: Record<string, string | boolean>;
  cadence: number | null;
  reason: string;
  load: number | null;
  method: "" | HrMaxMethod;
  ceiling: string;
  resting: string;
  max: string;
  mass: string;
  keepMass: boolean;
  filled: boolean;
}

export const emptyPaper = (): Paper => ({
  values: {},
  given: {},
  stages: [{ load: "150", rates: {} }],
  method: "",
  resting: "",
  measured: "",
  mass: "",
  keepMass: false,
  series: "",
  remark: "",
});

/** Whether nothing was read yet: circumstances alone are no test. */
export const isEmptyPaper = (paper: Paper) =>
  !Object.values(paper.values).some((text) => text.trim()) &&
  !paper.series &&
  !paper.stages.some((s) => Object.values(s.rates).some((rate) => rate.trim()));
