import { useEffect, useState } from "react";
import { api, type Cleaned } from "../../../api";
import { useEdited } from "../state/context";

const PAUSE_MS = 120;
const MOST_PIPES = 8;

interface Props {
  step: string;
  of: string;
  put: (of: string) => void;
}

/** What a place with its pipes gives on the last real answer, while it is typed; after a `|`, the pipes there are. */
export function KeptPreview({ step, of, put }: Props) {
  const { id } = useEdited();
  const [said, setSaid] = useState<Cleaned>();
  useEffect(() => {
    let late = false;
    const timer = window.setTimeout(async () => {
      const answer = await api.cleaned(id, step, of).catch(() => undefined);
      if (!late) setSaid(answer);
    }, PAUSE_MS);
    return () => {
      late = true;
      window.clearTimeout(timer);
    };
  }, [id, step, of]);
  if (!said) return null;
  return (
    <>
      <span className="understood" aria-live="polite">
        {said.value === null ? (
          <span className="muted">{said.problem}</span>
        ) : (
          <>
            gives <span className="mono">{said.value}</span>
          </>
        )}
      </span>
      {said.pipes.length > 0 && (
        <span className="pipes">
          {said.pipes.slice(0, MOST_PIPES).map((pipe) => (
            <button
              data-needs="edit"
              type="button"
              key={pipe.text}
              title={pipe.about}
              className="plain-link mono"
              onMouseDown={(event) => event.preventDefault()}
              onClick={() => put(pipe.text)}
            >
              {pipe.text.slice(pipe.text.lastIndexOf("|"))}
            </button>
          ))}
        </span>
      )}
    </>
  );
}
