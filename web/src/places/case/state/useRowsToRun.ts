import { useState } from "react";
import type { Case, Run } from "../../../api";
import type { RowsToRun } from "../../../parts/RunButton";

const STORED = "salt-path.rows-at-once";
const PICKS: Record<string, string> = {
  "all rows": "",
  "the first row": "1",
  "the first 10 rows": "1 to 10",
  "a sample of 20 rows": "sample 20",
};
const BAD = "the rows that did not pass";

/** Which rows a run of the case takes, and how many at once; the latter is remembered in this browser. */
export function useRowsToRun(of: Case, last: Run | null | undefined) {
  const [which, choose] = useState("all rows");
  const [jobs, setJobs] = useState(() => Number(localStorage.getItem(STORED)) || 4);
  const chooseJobs = (next: number) => {
    localStorage.setItem(STORED, String(next));
    setJobs(next);
  };
  if (!of.rows) return { rows: undefined, asked: undefined };
  const canRepeat = last && last.kind === "run" && last.verdict !== "passed";
  const rows: RowsToRun = {
    which,
    choices: [...Object.keys(PICKS), ...(canRepeat ? [BAD] : [])],
    choose,
    jobs,
    chooseJobs,
  };
  const bad = which === BAD && last ? { bad: last.id } : {};
  const pick = PICKS[which];
  return { rows, asked: { jobs, ...bad, ...(pick && { pick }) } };
}
