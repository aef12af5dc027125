import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Shapes } from "../api";
import { queries } from "../api/queries";
import { count } from "../base/format";

const MOST = 8;
/** What something became that is no other value; texts stand in quotes. */
const BARE = ["gone", "one item fewer"];

/** Would a case notice if an answer were otherwise? Asked by a press; then what it would not. */
export function WouldNotice({ id, name }: { id: string; name: string }) {
  const [asked, setAsked] = useState(false);
  const found = useQuery(queries.noticing(asked ? id : undefined));
  if (!asked)
    return (
      <button
        type="button"
        className="plain-link"
        aria-label={`Would it notice? ${name}`}
        onClick={() => setAsked(true)}
      >
        Would it notice?
      </button>
    );
  if (found.error) return <span className="trouble">{found.error.message}</span>;
  return found.data ? <Found found={found.data} /> : <span className="muted">looking …</span>;
}

function Found({ found }: { found: Shapes["Noticing"] }) {
  const { changes, noticed, steps } = found;
  if (!changes) return <p className="muted">No answer of it is kept whose checks hold.</p>;
  const missed = steps.flatMap((step) => step.unnoticed.map((one) => ({ ...one, step })));
  const deaf = steps.flatMap((step) => step.deaf.map((check) => `${step.name}: ${check}`));
  return (
    <div role="status">
      <p className={noticed === changes ? "quicker" : noticed * 2 < changes ? "slower" : undefined}>
        It would notice {noticed} of {count(changes, "change")}, {Math.round((100 * noticed) / changes)} %.
      </p>
      {deaf.length > 0 && <p>Nothing made these checks fail: {deaf.slice(0, 3).join("; ")}.</p>}
      {missed.length > 0 && (
        <ul className="unnoticed">
          {missed.slice(0, MOST).map((one) => (
            <li key={`${one.step.step} ${one.where} ${one.became}`}>
              <span className="mono">{one.where}</span>{" "}
              {BARE.includes(one.became) ? one.became : `as ${one.became}`}{" "}
              <span className="muted">in {one.step.name}</span>
            </li>
          ))}
          {missed.length > MOST && <li className="muted">and {missed.length - MOST} more</li>}
        </ul>
      )}
    </div>
  );
}
