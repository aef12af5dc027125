import { useState } from "react";
import type { Environment } from "../api";
import { listed } from "../base/format";
import { ChosenWord } from "./ChosenWord";
import { atOnce, HowItGoes, type RunWays, SIDE_BY_SIDE, UpAt } from "./HowItGoes";
import type { MenuItem } from "./menu/items";

interface Props {
  /** What pressing it does; it runs something unless said otherwise. */
  verb?: string;
  what: string;
  environment: Environment | undefined;
  environments: Environment[];
  choose: (name: string) => void;
  /** Where it goes beside that, of a run against several environments. */
  others?: Environment[];
  /** Take another one into it, or out of it. */
  turn?: (name: string) => void;
  run: () => void;
  running: boolean;
  stop: () => void;
  shortcut?: boolean;
  /** Of a case with rows: which of them run, and how many at once. */
  rows?: RowsToRun;
  /** Of several cases: how they run. */
  ways?: RunWays;
  chooseWays?: (change: Partial<RunWays>) => void;
}

/** Which rows run, as a choice of several, and how many side by side. */
export interface RowsToRun {
  which: string;
  choices: string[];
  choose: (which: string) => void;
  jobs: number;
  chooseJobs: (jobs: number) => void;
}

/** "Run this case against Rehearsal": where it goes is part of the sentence, and can be changed there. */
export function RunButton({
  verb = "Run",
  what,
  environment,
  environments,
  choose,
  others = [],
  turn,
  run,
  running,
  stop,
  shortcut,
  rows,
  ways,
  chooseWays,
}: Props) {
  const [naming, setNaming] = useState(false);
  if (running) {
    return (
      <div className="run-button stopping" data-needs="run">
        <button type="button" onClick={stop}>
          Stop this run
        </button>
      </div>
    );
  }
  const called = (item: Environment) => (item.guarded ? `${item.name}, guarded` : item.name);
  const where = environment ? [environment, ...others] : [];
  const items: MenuItem[] = environments.map((item) => ({ key: `to ${item.name}`, label: called(item) }));
  if (turn && environments.length > 1) {
    items.push({ type: "divider" });
    for (const item of environments) {
      const is = where.some(({ name }) => name === item.name);
      if (is && where.length === 1) continue;
      const label = is ? `without ${item.name}` : `and ${called(item)}, side by side`;
      items.push({ key: `turn ${item.name}`, label });
    }
  }
  const picked = (key: string) => {
    const name = key.slice(key.indexOf(" ") + 1);
    if (key.startsWith("turn ")) turn?.(name);
    else choose(name);
  };
  return (
    <div className="run-button" data-needs="run">
      <button type="button" onClick={run} aria-keyshortcuts={shortcut ? "Control+Enter" : undefined}>
        {verb} {what}
      </button>
      {rows && (
        <>
          <ChosenWord
            text={rows.which}
            items={rows.choices.map((item) => ({ key: item, label: item }))}
            choose={rows.choose}
          />
          <ChosenWord
            text={atOnce(rows.jobs)}
            items={SIDE_BY_SIDE}
            choose={(jobs) => rows.chooseJobs(Number(jobs))}
          />
        </>
      )}
      {ways && chooseWays && <HowItGoes ways={ways} choose={chooseWays} name={() => setNaming(true)} />}
      {environment && (
        <>
          <span>against</span>
          <ChosenWord text={listed(where.map(({ name }) => name))} items={items} choose={picked} />
        </>
      )}
      {shortcut && <kbd>Ctrl ↵</kbd>}
      {naming && ways && chooseWays && (
        <UpAt ways={ways} choose={chooseWays} close={() => setNaming(false)} />
      )}
    </div>
  );
}
