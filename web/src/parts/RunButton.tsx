import { useState } from "react";
import type { Environment } from "../api";
import { listed } from "../base/format";
import type { MenuItem } from "./menu/items";
import { Menu } from "./menu/Menu";
import { Typing } from "./typing/Typing";

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

/** How a run of several cases goes: how many side by side, until how many are bad, and whether it first waits for the service. */
export interface RunWays {
  jobs: number;
  /** 0: to the end. */
  stopAfter: number;
  /** Seconds at most; 0: at once. */
  waitUntilUp: number;
  /** The address that must answer well then; empty: the services answer at all. */
  upAt: string;
}

const JOBS = [1, 4, 16, 64];
const atOnce = (jobs: number): string => (jobs === 1 ? "one at a time" : `${jobs} at once`);

const SIDE_BY_SIDE = JOBS.map((jobs) => ({ key: String(jobs), label: atOnce(jobs) }));
const ENDS: [number, string][] = [
  [0, "to the end"],
  [1, "until one is bad"],
  [10, "until 10 are bad"],
];
/** So long it is waited unless something else is said. */
const USUAL_S = 120;
const BEGINS: [number, string][] = [
  [0, "at once"],
  [USUAL_S, "once the service is up"],
];
/** An address, and how long it is waited for at most: "[=harbour]/health, 5 min". */
const UP_AT = /^((?:https?:\/\/|\[=)\S*?)(?:,?\s+(\d{1,4})\s*(s|min|h))?$/;
const SECONDS: { [unit: string]: number } = { s: 1, min: 60, h: 3600 };
const MOST_S = 3600;
const WAYS: MenuItem[] = [
  ...ENDS.map(([number, label]) => ({ key: `stopAfter ${number}`, label })),
  { type: "divider" },
  ...BEGINS.map(([number, label]) => ({
    key: `waitUntilUp ${number}`,
    label: number ? `${label}, 2 min at most` : label,
  })),
  { key: "upAt", label: "once an address answers well…" },
];

/** "to the end", "until one is bad, once the service is up". */
function wayOf({ stopAfter, waitUntilUp, upAt }: RunWays): string {
  const end = ENDS.find(([number]) => number === stopAfter)?.[1] ?? `until ${stopAfter} are bad`;
  if (!waitUntilUp) return end;
  const long = waitUntilUp % 60 ? `${waitUntilUp} s` : `${waitUntilUp / 60} min`;
  const most = waitUntilUp === USUAL_S ? "" : `, ${long} at most`;
  return `${end}, once ${upAt || "the service"} is up${most}`;
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
      <div className="run-button stopping">
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
            items={SIDE_BY_SIDE}
            choose={(jobs) => rows.chooseJobs(Number(jobs))}
          />
        </>
      )}
      {ways && chooseWays && (
        <>
          <Chosen
            text={atOnce(ways.jobs)}
            items={SIDE_BY_SIDE}
            choose={(jobs) => chooseWays({ jobs: Number(jobs) })}
          />
          <Chosen
            text={wayOf(ways)}
            items={WAYS}
            choose={(key) => {
              const [what, number] = key.split(" ") as [keyof RunWays, string];
              if (key === "upAt") setNaming(true);
              else chooseWays({ [what]: Number(number), ...(what === "waitUntilUp" && { upAt: "" }) });
            }}
          />
        </>
      )}
      {environment && (
        <>
          <span>against</span>
          <Chosen text={listed(where.map(({ name }) => name))} items={items} choose={picked} />
        </>
      )}
      {shortcut && <kbd>Ctrl ↵</kbd>}
      {naming && ways && chooseWays && (
        <div className="up-at">
          <Typing
            text={ways.upAt}
            label="The address that answers once the service is up"
            placeholder="[=harbour]/health, 5 min"
            hint="It is asked until it answers well, for 2 min at most, or as long as you say behind it: , 5 min."
            close={() => setNaming(false)}
            save={(text) => {
              const [, upAt = "", number, unit = ""] = UP_AT.exec(text.trim()) ?? [];
              const seconds = number ? Number(number) * (SECONDS[unit] ?? 1) : USUAL_S;
              if (text.trim() && !upAt)
                return Promise.resolve(
                  "An address begins with http:// or https://, or with a value: [=harbour]/health",
                );
              if (seconds > MOST_S) return Promise.resolve("It waits an hour at most.");
              chooseWays({ upAt, waitUntilUp: seconds });
              return Promise.resolve(undefined);
            }}
          />
        </div>
      )}
    </div>
  );
}

interface ChosenProps {
  text: string;
  items: MenuItem[];
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
