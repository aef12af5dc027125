import { useQuery } from "@tanstack/react-query";
import { useCallback, useState } from "react";
import { Link, useNavigate } from "react-router";
import { api, type DataSource, type RunEvent, type SourceDocument } from "../../api";
import { useMay } from "../../api/may";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { ago, count, exactly, size } from "../../base/format";
import { NO_DATABASE, UNNAMED } from "../../case/lookup";
import { DropFile } from "../../parts/DropFile";
import { Notice } from "../../parts/Notice";
import { useEvents } from "../../state/events";
import { freePath } from "../../state/files";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { Databases } from "./Databases";
import { Outputs } from "./Outputs";
import { addressOf, columnsSaid, FILES, sourceName, whence } from "./source";
import { Users } from "./Users";

const MADE: SourceDocument = { make: 20, columns: { name: "[=any name]", number: "[=row.number]" } };
const COMBINED: SourceDocument = {
  combine: "pairwise",
  columns: { season: ["summer", "winter"], nights: [1, 7, 30] },
};

const OF_DATABASE: SourceDocument = { in: NO_DATABASE, "rows of": UNNAMED };
const OF_OUTPUT: SourceDocument = { "output table": "results" };

/** Data: the sources that cases take their rows from. */
export function DataPage() {
  const project = useProject();
  const may = useMay("edit");
  useTab("Data");
  const tell = useStale();
  const go = useNavigate();
  const [said, setSaid] = useState("");
  const query = useQuery(queries.sources(project?.id));
  const listener = useCallback(
    (event: RunEvent) => {
      if (event.type === "sources changed") void tell("sources");
    },
    [tell],
  );
  useEvents(project?.id, listener);
  const sources = query.data?.items ?? [];
  const add = async (like: string, document: SourceDocument) => {
    if (!project) return;
    try {
      const taken = (await api.sources(project.id)).items.map((item) => item.name);
      const made = await api.addSource(project.id, sourceName(like, taken), document);
      await tell("sources");
      await go(addressOf(made.name));
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  const bring = async (file: File | undefined) => {
    if (!file || !project) return;
    setSaid(`Bringing in ${file.name}…`);
    try {
      const known = (await api.files(project.id)).items;
      const kept = await api.putFile(project.id, freePath(file.name, known), file);
      await add(file.name, { file: kept.path });
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  return (
    <div className="page data">
      <div className="page-head">
        <div>
          <p className="crumb">Data</p>
          <h1>Where rows come from</h1>
          <p className="muted">
            {sources.length
              ? `${count(sources.length, "source")}; a case that names one runs once for each of its rows`
              : "A case runs once for each row of a source: of a spreadsheet, a CSV or JSON file, or of rows that are made."}
          </p>
        </div>
      </div>
      {query.error && <Notice sentence={query.error.message} retry={() => void query.refetch()} />}
      <ul className="sources">
        {sources.map((source) => (
          <li key={source.name}>
            <SourceLine source={source} />
          </li>
        ))}
      </ul>
      {project && may && (
        <>
          <DropFile label="A file of rows" accept={FILES} take={(file) => void bring(file)}>
            <p>
              Drop a spreadsheet (.xlsx), a CSV or a JSON file here. Where names and data stand is found, and
              shown for you to change.
            </p>
          </DropFile>
          <p>
            Or let rows be made:{" "}
            <button type="button" className="plain-link" onClick={() => void add("made rows", MADE)}>
              of generators
            </button>
            , or{" "}
            <button type="button" className="plain-link" onClick={() => void add("combinations", COMBINED)}>
              of values that are combined
            </button>
            ; or read when a case runs:{" "}
            <button
              type="button"
              className="plain-link"
              onClick={() => void add("rows of a database", OF_DATABASE)}
            >
              of a database
            </button>
            , or{" "}
            <button
              type="button"
              className="plain-link"
              onClick={() => void add("rows of a table", OF_OUTPUT)}
            >
              of an output table
            </button>
            .
          </p>
        </>
      )}
      {project && <Outputs project={project.id} />}
      {project && <Databases project={project.id} />}
      <p role="status" className={said.startsWith("Bringing") ? "muted" : "problem"}>
        {said}
      </p>
    </div>
  );
}

/** A source as a sentence. */
function SourceLine({ source }: { source: DataSource }) {
  return (
    <article className="source-line">
      <p>
        <Link to={addressOf(source.name)} className="source-name">
          {source.name}
        </Link>{" "}
        {source.problem ? (
          <span className="trouble">cannot be read: {source.problem}</span>
        ) : (
          <>
            <span className={source.kind === "file" ? "mono" : undefined}>{whence(source)}</span>, with{" "}
            {columnsSaid(source.columns)}
          </>
        )}
      </p>
      <p className="muted small">
        {source.size !== null && `${size(source.size)} · `}
        {source.changedAt && (
          <span title={exactly(source.changedAt)}>
            brought in {ago(source.changedAt)} by {source.changedBy} ·{" "}
          </span>
        )}
        {source.uses ? "used by " : "no case uses it yet"}
        <Users source={source} />
      </p>
    </article>
  );
}
