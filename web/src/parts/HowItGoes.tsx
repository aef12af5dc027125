import { ChosenWord } from "./ChosenWord";
import type { MenuItem } from "./menu/items";
import { Typing } from "./typing/Typing";

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
export const atOnce = (jobs: number): string => (jobs === 1 ? "one at a time" : `${jobs} at once`);

export const SIDE_BY_SIDE = JOBS.map((jobs) => ({ key: String(jobs), label: atOnce(jobs) }));
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

interface HowProps {
  ways: RunWays;
  choose: (change: Partial<RunWays>) => void;
  /** Say which address is waited for. */
  name: () => void;
}

/** The words of a run's sentence that say how it goes. */
export function HowItGoes({ ways, choose, name }: HowProps) {
  return (
    <>
      <ChosenWord
        text={atOnce(ways.jobs)}
        items={SIDE_BY_SIDE}
        choose={(jobs) => choose({ jobs: Number(jobs) })}
      />
      <ChosenWord
        text={wayOf(ways)}
        items={WAYS}
        choose={(key) => {
          const [what, number] = key.split(" ") as [keyof RunWays, string];
          if (key === "upAt") name();
          else choose({ [what]: Number(number), ...(what === "waitUntilUp" && { upAt: "" }) });
        }}
      />
    </>
  );
}

interface UpAtProps {
  ways: RunWays;
  choose: (change: Partial<RunWays>) => void;
  close: () => void;
}

/** The address that a run waits for first, and how long at most. */
export function UpAt({ ways, choose, close }: UpAtProps) {
  return (
    <div className="up-at">
      <Typing
        needs="run"
        text={ways.upAt}
        label="The address that answers once the service is up"
        placeholder="[=harbour]/health, 5 min"
        hint="It is asked until it answers well, for 2 min at most, or as long as you say behind it: , 5 min."
        close={close}
        save={(text) => {
          const [, upAt = "", number, unit = ""] = UP_AT.exec(text.trim()) ?? [];
          const seconds = number ? Number(number) * (SECONDS[unit] ?? 1) : USUAL_S;
          if (text.trim() && !upAt)
            return Promise.resolve(
              "An address begins with http:// or https://, or with a value: [=harbour]/health",
            );
          if (seconds > MOST_S) return Promise.resolve("It waits an hour at most.");
          choose({ upAt, waitUntilUp: seconds });
          return Promise.resolve(undefined);
        }}
      />
    </div>
  );
}
