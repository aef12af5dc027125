import { useInfiniteQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { Cause, Failure } from "../../api";
import { queries } from "../../api/queries";
import { count } from "../../base/format";
import { VerdictMark } from "../../parts/VerdictMark";
import { KnownCause, knownSentence } from "./KnownCause";
import type { Chosen } from "./rows/chosen";
import type { KnownActs } from "./useKnown";

/** So many are read at a glance; the others are there when they are asked for. */
const AT_A_GLANCE = 8;

interface Props {
  run: string;
  causes: Cause[];
  acts: KnownActs;
  choose: (chosen: Chosen) => void;
}

/** What went wrong, a sentence for each cause, however many cases and rows it was met in; each opens to these. */
export function Causes({ run, causes, acts, choose }: Props) {
  const [opened, setOpened] = useState("");
  const [all, setAll] = useState(false);
  const shown = all ? causes : causes.slice(0, AT_A_GLANCE);
  const more = causes.length - AT_A_GLANCE;
  return (
    <ul className="causes" aria-label="What went wrong">
      {shown.map((cause) => {
        const open = opened === cause.signature;
        return (
          <li key={cause.signature}>
            <button
              type="button"
              className="cause"
              aria-expanded={open}
              title={cause.check ? `The check: ${cause.check}` : undefined}
              onClick={() => setOpened(open ? "" : cause.signature)}
            >
              <VerdictMark verdict={cause.verdict} />
              <span>
                {cause.who && <strong>{cause.who}: </strong>}
                {cause.sentence}
                {cause.known && <span className="muted"> · {knownSentence(cause.known)}</span>}
              </span>
            </button>
            {open && (
              <div className="cause-open">
                <Where run={run} cause={cause} choose={choose} />
                <KnownCause cause={cause} acts={acts} />
              </div>
            )}
          </li>
        );
      })}
      {more > 0 && (
        <li>
          <button type="button" className="plain-link" aria-expanded={all} onClick={() => setAll(!all)}>
            {all ? "only the first" : count(more, "more cause")}
          </button>
        </li>
      )}
    </ul>
  );
}

/** The cases and rows that a cause was met in; what was met there is shown beside them. */
function Where({ run, cause, choose }: Pick<Props, "run" | "choose"> & { cause: Cause }) {
  const query = useInfiniteQuery(queries.failures(run, cause.signature, cause.failures));
  if (query.error) return <p className="trouble">{query.error.message}</p>;
  const found = query.data?.pages.flatMap((page) => page.items) ?? [];
  return (
    <ul className="cause-places">
      {found.map((failure) => (
        <li key={[failure.position, failure.row, failure.part, failure.index, failure.inner].join(" ")}>
          {failure.index < 0 ? (
            placeOf(failure)
          ) : (
            <button type="button" className="plain-link" onClick={() => choose(chosenBy(failure))}>
              {placeOf(failure)}
            </button>
          )}
          {cause.values > 1 && <span className="muted"> {failure.said}</span>}
        </li>
      ))}
      {query.hasNextPage && (
        <li>
          <button type="button" className="plain-link" onClick={() => void query.fetchNextPage()}>
            more of them
          </button>
        </li>
      )}
    </ul>
  );
}

const placeOf = (failure: Failure): string =>
  failure.hasRows && failure.row ? `${failure.case}, row ${failure.row}` : failure.case;

const chosenBy = ({ position, row, part, index, hasRows }: Failure): Chosen => ({
  position,
  part: part as Chosen["part"],
  index,
  ...(hasRows && row && { row }),
});
