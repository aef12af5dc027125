import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type SingleRequest } from "../../../api";
import { useMay } from "../../../api/may";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { answered } from "../../../case/answered";
import { fromText } from "../../../case/pasting";
import { Notice } from "../../../parts/Notice";
import { useProject } from "../../../state/project";

/** Requests that belong to no case yet: paste one, send it, and find those again that were sent before. */
export function SinglesPage() {
  const project = useProject();
  const may = useMay("edit");
  const tell = useStale();
  const found = useQuery(queries.singles(project?.id));
  const [gone, setGone] = useState<SingleRequest>();
  const refresh = () => tell("single requests");
  const bringBack = async (item: SingleRequest) => {
    await api.bringBack(item.id);
    setGone(undefined);
    await refresh();
  };
  const remove = async (item: SingleRequest) => {
    await api.removeCase(item.id);
    setGone(item);
    await refresh();
  };
  const items = found.data?.items ?? [];
  return (
    <div className="page singles">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">Cases</Link> ▸ requests without a case
          </p>
          <h1>Single requests</h1>
          <p className="muted">Send one, look at its answer, and put it into a case when it is worth it.</p>
        </div>
      </div>
      {project && found.data && may && <NewRequest project={project.id} first={!items.length} />}
      {found.error && <Notice sentence={found.error.message} retry={() => void found.refetch()} />}
      {gone && (
        <p className="live" role="status">
          “{gone.name}” is deleted.{" "}
          <button data-needs="edit" type="button" className="plain-link" onClick={() => void bringBack(gone)}>
            Undo
          </button>
        </p>
      )}
      {items.length > 0 && <h2>Kept from before</h2>}
      <ul className="lines">
        {items.map((item) => (
          <li key={item.id} className="single-line">
            <div>
              <Link to={`/cases/${item.id}`}>{item.name}</Link>
              <span className="mono"> {item.send}</span>
            </div>
            <span className="muted">{item.last ? answered(item.last) : "not sent yet"}</span>
            <span className="row-tools" data-needs="edit">
              <button
                data-needs="edit"
                type="button"
                aria-label={`Delete the request ${item.name}`}
                onClick={() => void remove(item)}
              >
                delete
              </button>
            </span>
          </li>
        ))}
      </ul>
    </div>
  );
}

const EXAMPLE = "GET http://127.0.0.1:8421/vessels";

/** Type or paste an address, a curl line, or a request as it goes over the wire. */
function NewRequest({ project, first }: { project: string; first: boolean }) {
  const navigate = useNavigate();
  const tell = useStale();
  const [text, setText] = useState("");
  const [said, setSaid] = useState("");
  const make = async (send: boolean) => {
    if (!text.trim()) return;
    try {
      const read = await fromText(text.trim());
      const made = [];
      for (const step of read.steps) made.push(await api.addSingleRequest(project, step));
      void tell("single requests");
      const one = made.length === 1 ? made[0] : undefined;
      if (one) void navigate(`/cases/${one.id}`, { state: { send, said: read.said } });
      else {
        setText("");
        setSaid([`${made.length} requests were pasted; they stand below.`, ...read.said].join(" "));
      }
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  const keys = (event: KeyboardEvent) => {
    if (event.key !== "Enter" || event.shiftKey) return;
    event.preventDefault();
    event.stopPropagation();
    void make(event.ctrlKey || event.metaKey);
  };
  return (
    <div className="new-single">
      <textarea
        // biome-ignore lint/a11y/noAutofocus: it is what the page is for
        autoFocus
        rows={Math.min(12, Math.max(2, text.split("\n").length))}
        value={text}
        aria-label="A request: a method and an address, a curl line, or raw HTTP"
        placeholder="GET http://127.0.0.1:8421/vessels, an address, a curl line, or a request as it goes over the wire"
        spellCheck={false}
        onChange={(event) => setText(event.target.value)}
        onKeyDown={keys}
      />
      <p>
        <button type="button" className="make" disabled={!text.trim()} onClick={() => void make(true)}>
          Send it <kbd>Ctrl ↵</kbd>
        </button>
        <button type="button" className="plain-link" disabled={!text.trim()} onClick={() => void make(false)}>
          only open it
        </button>
        <Link to="/cases/recording">or choose from a browser’s recording…</Link>
      </p>
      {first && !text && (
        <p>
          Nothing was sent yet. Paste an address, or{" "}
          <button type="button" className="plain-link" onClick={() => setText(EXAMPLE)}>
            take an example
          </button>{" "}
          that asks Fernholm Harbour, which comes with the demonstration, for its vessels.
        </p>
      )}
      <p role="status" className="problem">
        {said}
      </p>
    </div>
  );
}
