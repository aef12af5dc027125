import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { Link } from "react-router";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { count } from "../../base/format";

const MOST = 8;

/** One case that never failed, and, once it is asked, what it would not notice. */
export function WouldNotice({ one }: { one: Shapes["NeverFailed"] }) {
  const [asked, setAsked] = useState(false);
  const found = useQuery(queries.noticing(asked ? one.id : undefined));
  return (
    <li>
      <Link to={`/cases/${one.id}`}>{one.name}</Link> <span className="muted">{count(one.runs, "run")}</span>{" "}
      {!asked && (
        <button
          type="button"
          className="plain-link"
          aria-label={`Would it notice? ${one.name}`}
          onClick={() => setAsked(true)}
        >
          Would it notice?
        </button>
      )}
      {asked && found.isPending && <span className="muted">looking …</span>}
      {found.error && <span className="trouble">{found.error.message}</span>}
      {found.data && <Found found={found.data} />}
    </li>
  );
}

function Found({ found }: { found: Shapes["Noticing"] }) {
  const { changes, noticed, steps } = found;
  if (!changes) return <p className="muted">No answer of it is kept whose checks hold.</p>;
  const missed = steps.flatMap((step) => step.unnoticed.map((one) => ({ ...one, step: step.name })));
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
            <li key={`${one.step} ${one.where} ${one.became}`}>
              <span className="mono">{one.where}</span> {one.became === "gone" ? "gone" : `as ${one.became}`}{" "}
              <span className="muted">in {one.step}</span>
            </li>
          ))}
          {missed.length > MOST && <li className="muted">and {missed.length - MOST} more</li>}
        </ul>
      )}
    </div>
  );
}
