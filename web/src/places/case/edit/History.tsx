import { useQuery } from "@tanstack/react-query";
import { useEffect, useRef, useState } from "react";
import type { Revision } from "../../../api";
import { queries } from "../../../api/queries";
import { ago, exactly } from "../../../base/format";
import type { Document } from "../../../case/document";
import type { Edits } from "../state/useEditing";

interface Props {
  id: string;
  version: number;
  editing: Edits;
  close: () => void;
}

/** Every kept version of the case, with what changed in it; any of them can be brought back, which can be undone. */
export function History({ id, version, editing, close }: Props) {
  const dialog = useRef<HTMLDialogElement>(null);
  const [chosen, setChosen] = useState<number>();
  const all = useQuery(queries.revisions(id, version));
  const one = useQuery(queries.revision(id, chosen, version));
  useEffect(() => dialog.current?.showModal(), []);
  const restore = async () => {
    if (!one.data) return;
    const then = one.data.document as Document;
    await editing.apply((now) => ({ ...then, key: now.key as string }));
    close();
  };
  return (
    <dialog ref={dialog} className="confirm history" aria-label="What this case was before" onClose={close}>
      <h2>What this case was before</h2>
      {all.error && <p role="alert">{all.error.message}</p>}
      <div className="history-columns">
        <ol>
          {(all.data?.items ?? []).map((revision) => (
            <li key={revision.version}>
              <button
                type="button"
                aria-pressed={chosen === revision.version}
                disabled={revision.version === version}
                onClick={() => setChosen(revision.version)}
              >
                <span title={exactly(revision.at)}>{ago(revision.at)}</span>, {revision.by}
                {revision.version === version && <span className="muted"> · as it is now</span>}
                {revision.runs.length > 0 && <span className="muted"> · {usedBy(revision)}</span>}
              </button>
              <Changes of={revision} />
            </li>
          ))}
        </ol>
        <div className="history-one">
          {!one.data && <p className="muted">Choose a version to see what is otherwise now.</p>}
          {one.data && (
            <>
              <h3>Since then</h3>
              {one.data.changes.length === 0 && <p className="muted">Nothing is otherwise now.</p>}
              <ul>
                {one.data.changes.map((sentence) => (
                  <li key={sentence}>{sentence}</li>
                ))}
              </ul>
              <h3>As it was</h3>
              <pre className="code">{one.data.text}</pre>
            </>
          )}
        </div>
      </div>
      <div className="actions">
        <button type="button" className="plain-button" onClick={close}>
          Close
        </button>
        <button
          data-needs="edit"
          type="button"
          className="plain-button strong"
          disabled={!one.data || chosen === undefined}
          onClick={() => void restore()}
        >
          Bring this version back
        </button>
      </div>
    </dialog>
  );
}

function Changes({ of }: { of: Revision }) {
  if (of.first && !of.changes.length) return <p className="muted small">the oldest version that is kept</p>;
  return (
    <ul className="small">
      {of.changes.map((sentence) => (
        <li key={sentence}>{sentence}</li>
      ))}
      {of.more > 0 && <li>and {of.more} more</li>}
      {of.changes.length === 0 && <li className="muted">nothing but the layout</li>}
    </ul>
  );
}

function usedBy(revision: Revision): string {
  const [first, ...rest] = revision.runs;
  return rest.length ? `used by run ${first} and ${rest.length} more` : `used by run ${first}`;
}
