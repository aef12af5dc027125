import { useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type Suite } from "../../../api";
import { useStale } from "../../../api/stale";
import type { Document } from "../../../case/document";
import { fromText, looksPasted } from "../../../case/pasting";
import { InPlace } from "../../../parts/typing/InPlace";
import { useProject } from "../../../state/project";
import { CaseRow } from "./CaseRow";
import { CASE } from "./dragging";
import { type Outline, putBack } from "./useOutline";

interface Props {
  suite: Suite;
  suites: Suite[];
  outline: Outline;
  /** Only some cases are shown, so that nothing is put in order. */
  filtered: boolean;
  above: string | undefined;
  /** Before which suite it stands when it goes one down. */
  below: string | null;
  last: boolean;
  run: () => void;
}

/** One suite with its cases: named, ordered and taken away where it stands; cases are dragged, or moved with Alt and the arrows. */
export function SuiteBlock({ suite, suites, outline, filtered, above, below, last, run }: Props) {
  const [over, setOver] = useState("");
  const move = (before: string | null) => void outline.act(() => api.changeSuite(suite.id, { before }));
  const drop = (id: string, before: string | null) => {
    setOver("");
    if (id === before) return;
    const from = suites.find((item) => item.cases.some((line) => line.id === id));
    const at = from?.cases.findIndex((line) => line.id === id) ?? 0;
    if (!from) return;
    void outline.act(() => api.moveCase(id, suite.id, before), {
      sentence: `Moved into ${suite.name}.`,
      undo: putBack(outline, id, from.id, from.cases[at + 1]?.id ?? null),
    });
  };
  const onto = (before: string | null) => ({
    onDragOver: (event: React.DragEvent) => {
      if (!event.dataTransfer.types.includes(CASE) || filtered) return;
      event.preventDefault();
      event.stopPropagation();
      setOver(before ?? "end");
    },
    onDragLeave: () => setOver(""),
    onDrop: (event: React.DragEvent) => {
      const id = event.dataTransfer.getData(CASE);
      if (!id || filtered) return;
      event.preventDefault();
      event.stopPropagation();
      drop(id, before);
    },
  });
  return (
    <section className={over === "end" ? "suite over" : "suite"} aria-labelledby={suite.id} {...onto(null)}>
      <div className="suite-head">
        <h2 id={suite.id}>
          <InPlace
            text={suite.name}
            label={`The name of the suite ${suite.name}`}
            save={(name) => outline.act(() => api.changeSuite(suite.id, { name: name.trim() }))}
          >
            {suite.name}
          </InPlace>
        </h2>
        <span className="muted">
          <InPlace
            text={suite.about}
            label={`What the suite ${suite.name} is about`}
            save={(about) => outline.act(() => api.changeSuite(suite.id, { about: about.trim() }))}
          >
            {suite.about || <span className="add small">+ about</span>}
          </InPlace>
        </span>
        <span className="row-tools">
          {above && !filtered && (
            <button type="button" aria-label={`Move ${suite.name} up`} onClick={() => move(above)}>
              ↑
            </button>
          )}
          {!last && !filtered && (
            <button type="button" aria-label={`Move ${suite.name} down`} onClick={() => move(below)}>
              ↓
            </button>
          )}
          {suite.cases.length === 0 && (
            <button type="button" onClick={() => void outline.act(() => api.removeSuite(suite.id))}>
              delete
            </button>
          )}
        </span>
        {!filtered && (
          <Link
            className="plain-link"
            to={`/cases/suite/${suite.id}`}
            aria-label={`${suite.name} as a sheet`}
          >
            as a sheet
          </Link>
        )}
        {suite.cases.length > 0 && !filtered && (
          <button
            type="button"
            className="plain-link"
            onClick={run}
            aria-label={`Run these ${suite.cases.length} of ${suite.name}`}
          >
            Run these {suite.cases.length}
          </button>
        )}
      </div>
      <ul className="lines">
        {suite.cases.map((line, index) => (
          <CaseRow
            key={line.id}
            line={line}
            over={over === line.id}
            onto={onto(line.id)}
            move={(by) => {
              const others = suite.cases.filter((item) => item !== line);
              if (!filtered && index + by >= 0 && index + by <= others.length)
                drop(line.id, others[index + by]?.id ?? null);
            }}
            suites={suites.filter((item) => item.id !== suite.id)}
            into={(to) =>
              void outline.act(() => api.moveCase(line.id, to.id, null), {
                sentence: `“${line.name}” stands in ${to.name} now.`,
                undo: putBack(outline, line.id, suite.id, suite.cases[index + 1]?.id ?? null),
              })
            }
            remove={() =>
              void outline.act(() => api.removeCase(line.id), {
                sentence: `“${line.name}” is deleted; its runs are kept.`,
                undo: () =>
                  void outline.act(() => api.bringBack(line.id), {
                    sentence: `“${line.name}” is back.`,
                  }),
              })
            }
          />
        ))}
      </ul>
      {!filtered && <AddCase suite={suite.id} />}
    </section>
  );
}

const REQUEST = /^([A-Za-z]+\s+)?(https?:\/\/|\[=)/;

/** An empty case of that name; of a request, the case that begins with it. */
async function newCase(text: string): Promise<Document> {
  const steps = REQUEST.test(text) || looksPasted(text) ? (await fromText(text)).steps : [];
  return { "salt-path": 1, case: String(steps[0]?.request ?? text), steps };
}

/** A new case by its name, or by its first request; it opens at once. */
function AddCase({ suite }: { suite: string }) {
  const project = useProject();
  const navigate = useNavigate();
  const tell = useStale();
  const save = async (name: string) => {
    if (!name.trim() || !project) return undefined;
    try {
      const made = await api.addCase(project.id, suite, await newCase(name.trim()));
      void tell("outline");
      void navigate(`/cases/${made.id}`);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    }
  };
  return (
    <div className="add-case">
      <InPlace
        text=""
        label="Add a case to this suite"
        hint="Name the case by what it shows, such as: A vessel is found again. Or type its first request."
        save={save}
      >
        <span className="muted">+ case</span>
      </InPlace>{" "}
      <Link className="muted small" to={`/cases/recording?suite=${suite}`}>
        or from a browser’s recording…
      </Link>
    </div>
  );
}
