/** What is asked for anew after a change, by what was changed: whoever changes something says so here, and need not know who shows it. */

import { type QueryKey, useQueryClient } from "@tanstack/react-query";
import { useCallback } from "react";
import type { queries } from "./queries";

type Name = ReturnType<(typeof queries)[keyof typeof queries]>["queryKey"][0];
type Stale = readonly [Name, ...unknown[]];

const STALE = {
  projects: () => [["projects"]],
  /** Suites, and the cases in them: added, moved, renamed, deleted, run. */
  outline: () => [["suites"], ["deleted"]],
  "brought back": () => [["suites"], ["deleted"], ["shared"]],
  "shared steps": () => [["shared"]],
  "single requests": () => [["singles"]],
  environments: () => [["environments"], ["values"]],
  values: () => [["values"]],
  lifts: () => [["lifts"]],
  files: () => [["files"]],
  sources: () => [["sources"], ["file versions"], ["case"]],
  databases: () => [["databases"]],
  case: (id) => [["case", id]],
  /** What a case's references insert. */
  "values of": (id) => [["case", id], ["values"]],
  /** What a case's checks and keeps say of the answers that are there. */
  evidence: (id) => [["evidence", id]],
  ran: (id) => [
    ...(["evidence", "seen", "repeated", "runs of", "sendings"] as const).map((name) => [name, id] as const),
    ["shared"],
    ["suites"],
  ],
  /** These steps, in cases that had them written out. */
  "used there": (id) => [["alike", id], ["case", id], ["shared"]],
  coverage: () => [["coverage"]],
  "suite rows": (suite) => [["suite rows", suite]],
  /** Cases of a suite by the rows of a workbook. */
  workbook: () => [["suites"], ["suite rows"], ["case"], ["evidence"], ["case rows"], ["kept workbook"]],
  /** Checks of many cases, by what came. */
  expected: () => [["case"], ["evidence"], ["suite rows"]],
  placed: (id) => [["suites"], ["singles"], ["case", id], ["evidence", id]],
  deliveries: () => [["delivery rules"], ["deliveries"]],
  runs: () => [["runs"]],
  "going on": () => [["going on"]],
  known: () => [["causes"], ["not met"], ["today"]],
  today: () => [["today"], ["suites over time"]],
  run: (id) => [["run", id]],
  left: (run) => [["left", run]],
  entry: () => [["entry"], ["projects"]],
  members: () => [["members"], ["invitations"], ["accounts"], ["done"]],
  accounts: () => [["accounts"], ["account invitations"], ["members"], ["entry"], ["done"]],
  keys: () => [["keys"], ["keys into"], ["done"]],
  sessions: () => [["sessions"], ["accounts"]],
  "second factor rule": () => [["second factor rule"], ["done"]],
  reach: () => [["reach"], ["done"]],
  provider: () => [["provider"], ["entry"], ["done"]],
  storage: () => [["storage"]],
  watches: () => [["watches"], ["watch"], ["allowances"], ["burns"], ["troubles"]],
  routes: () => [["routes"], ["alert messages"], ["watches"], ["watch"]],
  "what became": () => [["watch range"], ["range of watch"], ["watch runs"]],
  pictures: (project) => [["pictures", project]],
  shares: (run) => [["shares", run]],
} satisfies Record<string, (of: string) => Stale[]>;

export type Change = keyof typeof STALE;
export type Tell = (change: Change, of?: string) => Promise<void>;

/** `tell("case", id)`: it was changed; over once what is shown of it has been asked for anew. */
export function useStale(): Tell {
  const client = useQueryClient();
  return useCallback(
    async (change, of = "") => {
      const stale: readonly QueryKey[] = STALE[change](of);
      await Promise.all(stale.map((queryKey) => client.invalidateQueries({ queryKey })));
    },
    [client],
  );
}
