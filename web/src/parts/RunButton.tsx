import type { Environment } from "../api";
import { Menu } from "./menu/Menu";

interface Props {
  /** What pressing it does; it runs something unless said otherwise. */
  verb?: string;
  what: string;
  environment: Environment | undefined;
  environments: Environment[];
  choose: (name: string) => void;
  run: () => void;
  running: boolean;
  stop: () => void;
  shortcut?: boolean;
  /** Of a case with rows: which of them run, and how many at once. */
  rows?: RowsToRun;
}

/** Which rows run, as a choice of several, and how many side by side. */
export interface RowsToRun {
  which: string;
  choices: string[];
  choose: (which: string) => void;
  jobs: number;
  chooseJobs: (jobs: number) => void;
}

const JOBS = [1, 4, 16, 64];
const atOnce = (jobs: number): string => (jobs === 1 ? "one at a time" : `${jobs} at once`);

/** "Run this case against Rehearsal": where it goes is part of the sentence, and can be changed there. */
export function RunButton({
  verb = "Run",
  what,
  environment,
  environments,
  choose,
  run,
  running,
  stop,
  shortcut,
  rows,
}: Props) {
  if (running) {
    return (
      <div className="run-button stopping">
        <button type="button" onClick={stop}>
          Stop this run
        </button>
      </div>
    );
  }
  const items = environments.map((item) => ({
    key: item.name,
    label: item.guarded ? `${item.name}, guarded` : item.name,
  }));
  return (
    <div className="run-button">
      <button type="button" onClick={run} aria-keyshortcuts={shortcut ? "Control+Enter" : undefined}>
        {verb} {what}
      </button>
      {rows && (
        <>
          <Chosen
            text={rows.which}
            items={rows.choices.map((item) => ({ key: item, label: item }))}
            choose={rows.choose}
          />
          <Chosen
            text={atOnce(rows.jobs)}
            items={JOBS.map((jobs) => ({ key: String(jobs), label: atOnce(jobs) }))}
            choose={(jobs) => rows.chooseJobs(Number(jobs))}
          />
        </>
      )}
      {environment && (
        <>
          <span>against</span>
          <Chosen text={environment.name} items={items} choose={choose} />
        </>
      )}
      {shortcut && <kbd>Ctrl ↵</kbd>}
    </div>
  );
}

interface ChosenProps {
  text: string;
  items: { key: string; label: string }[];
  choose: (key: string) => void;
}

/** A word of the button's sentence that is one of several. */
function Chosen({ text, items, choose }: ChosenProps) {
  return (
    <Menu items={items} pick={choose} className="underlined">
      {text}
    </Menu>
  );
}
