import type { Shapes } from "../../api";
import { momentName } from "../../parts/overTime/time";

const MUTES: [number, string][] = [
  [30, "30 min"],
  [120, "2 h"],
  [480, "8 h"],
  [1440, "a day"],
  [10080, "a week"],
];

interface Props {
  /** `of it`, `by it`. */
  how: string;
  /** What it is called, where several stand on one page. */
  name?: string;
  muted: Shapes["Muted"];
  /** For so many minutes; 0: no longer. `said`: what may be said of it then. */
  mute: (minutes: number, said: string) => void;
}

/** Whether people are told of a watch, or by a route, now. */
export function Muting({ how, name, muted, mute }: Props) {
  const label = (does: string) => (name ? `${does}: ${name}` : undefined);
  if (muted.until)
    return (
      <>
        Nobody is told {how} until {momentName(muted.until)} ({muted.by}).{" "}
        <button
          type="button"
          className="plain-link"
          data-needs="edit"
          aria-label={label("Tell people again")}
          onClick={() => mute(0, `People are told ${how} again.`)}
        >
          Tell people again
        </button>
      </>
    );
  return (
    <span data-needs="edit">
      Tell nobody {how} for{" "}
      {MUTES.map(([minutes, long]) => (
        <button
          key={minutes}
          type="button"
          className="plain-link mute"
          aria-label={label(`Tell nobody for ${long}`)}
          onClick={() => mute(minutes, `Nobody is told ${how} for ${long}.`)}
        >
          {long}
        </button>
      ))}
    </span>
  );
}
