import { type RefObject, useDeferredValue, useMemo, useState } from "react";
import { whole } from "../../base/format";
import { found } from "./find";
import type { TreeIndex } from "./indexer";

interface Props {
  index: TreeIndex;
  field: RefObject<HTMLInputElement | null>;
  show: (node: number) => void;
  leave: () => void;
}

/** Looks through the keys and values of an answer, also those that are not in sight: Enter goes on, with Shift back, Escape leaves. */
export function FindIn({ index, field, show, leave }: Props) {
  const [typed, setTyped] = useState("");
  const [at, setAt] = useState(-1);
  const wanted = useDeferredValue(typed);
  const nodes = useMemo(() => found(index, wanted), [index, wanted]);
  const go = (to: number) => {
    if (!nodes.length) return;
    const next = (to + nodes.length) % nodes.length;
    setAt(next);
    show(nodes[next] as number);
  };
  return (
    <div className="find-in">
      <input
        ref={field}
        value={typed}
        placeholder="find in this answer"
        aria-label="Find in this answer"
        spellCheck={false}
        onChange={(event) => {
          setTyped(event.target.value);
          setAt(-1);
        }}
        onKeyDown={(event) => {
          event.stopPropagation();
          if (event.key === "Enter") {
            event.preventDefault();
            if (wanted === typed) go(event.shiftKey ? Math.max(at, 0) - 1 : at + 1);
          }
          if (event.key !== "Escape") return;
          setTyped("");
          leave();
        }}
      />
      {wanted.trim() && (
        <span className="muted small" role="status">
          {nodes.length
            ? at >= 0
              ? `${whole(at + 1)} of ${whole(nodes.length)}`
              : `in ${whole(nodes.length)} ${nodes.length === 1 ? "place" : "places"}; Enter shows the first`
            : "nowhere"}
        </span>
      )}
    </div>
  );
}
