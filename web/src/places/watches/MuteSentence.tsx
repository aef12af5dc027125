import { api, type Shapes } from "../../api";
import { momentName } from "./time";

const MUTES: [number, string][] = [
  [30, "30 min"],
  [120, "2 h"],
  [480, "8 h"],
  [1440, "a day"],
];

interface Props {
  watch: Shapes["WatchInFull"];
  act: (does: () => Promise<unknown>, said: string) => Promise<void>;
}

/** Whether people are told of it now. */
export function MuteSentence({ watch, act }: Props) {
  if (watch.muted.until)
    return (
      <p className="muted small">
        Nobody is told of it until {momentName(watch.muted.until)} ({watch.muted.by}).{" "}
        <button
          type="button"
          className="plain-link"
          data-needs="edit"
          onClick={() => void act(() => api.muteWatch(watch.id, 0), "People are told of it again.")}
        >
          Tell people again
        </button>
      </p>
    );
  return (
    <p className="muted small" data-needs="edit">
      Tell nobody of it for{" "}
      {MUTES.map(([minutes, name]) => (
        <button
          key={minutes}
          type="button"
          className="plain-link mute"
          onClick={() =>
            void act(() => api.muteWatch(watch.id, minutes), `Nobody is told of it for ${name}.`)
          }
        >
          {name}
        </button>
      ))}
    </p>
  );
}
