import { Link, useSearchParams } from "react-router";
import { count, size } from "../../base/format";
import { useAsk } from "../../parts/Confirm";
import { Notice } from "../../parts/Notice";
import { WhereContext } from "../../parts/typing/drafts";
import { InPlace } from "../../parts/typing/InPlace";
import { UndoButton } from "../../parts/UndoButton";
import { useProject } from "../../state/project";
import { useTab } from "../../state/tab";
import { ColumnsOf } from "./ColumnsOf";
import { FramedCells } from "./FramedCells";
import { HowItIsRead } from "./HowItIsRead";
import { MadeColumns } from "./MadeColumns";
import { MadeRows } from "./MadeRows";
import { ReadWhenItRuns } from "./ReadWhenItRuns";
import { Users } from "./Users";
import { type Opened, useSource } from "./useSource";
import { Versions } from "./Versions";

/** A source: where its rows come from, how they look, what its columns hold. */
export function SourcePage() {
  const project = useProject()?.id;
  const name = useSearchParams()[0].get("name") ?? "";
  if (!project) return null;
  return (
    <WhereContext.Provider value={`source ${project} ${name}`}>
      <OpenedSource key={`${project} ${name}`} project={project} name={name} />
    </WhereContext.Provider>
  );
}

function OpenedSource({ project, name }: { project: string; name: string }) {
  const opened = useSource(project, name);
  const ask = useAsk();
  useTab(name);
  const { source, looked, query } = opened;
  if (query.error) return <Notice sentence={query.error.message} retry={() => void query.refetch()} />;
  if (!query.data) return null;
  if (!source) {
    return (
      <div className="page">
        <h1>There is no source {name}</h1>
        <p>
          <Link to="/data">Go to the data</Link>
        </p>
      </div>
    );
  }
  const remove = async () => {
    const yes = await ask({
      title: `Take ${name} away?`,
      text: source.file ? `Its file ${source.file} stays in the project.` : "Its columns go with it.",
      yes: "Take it away",
      no: "Keep it",
    });
    if (yes) await opened.remove();
  };
  const file = source.kind === "file";
  const later = source.kind === "database" || source.kind === "output";
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the shortcut of a button that is there too
    <div
      className="page source"
      onKeyDown={(event) => {
        const typing = event.target instanceof HTMLElement && event.target.closest("input, textarea, select");
        if (!event.ctrlKey || event.key.toLowerCase() !== "z" || typing) return;
        event.preventDefault();
        void opened.undo();
      }}
    >
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/data">Data</Link> ▸{" "}
            {file ? (
              <span className="mono">{source.file}</span>
            ) : later ? (
              "rows that are there when it runs"
            ) : (
              "rows that are made"
            )}
            {source.size !== null && ` · ${size(source.size)}`}
          </p>
          <h1>
            <InPlace text={name} label="The name of this source" save={(to) => opened.rename(to.trim())}>
              {name}
            </InPlace>
          </h1>
          <p className="muted">
            {later ? <CountedLast opened={opened} /> : <Counted opened={opened} />}
            {source.uses ? " · used by " : " · no case uses it yet; choose it in a case’s rows"}
            <Users source={source} />
          </p>
        </div>
        <div className="source-acts">
          <UndoButton can={opened.canUndo} undo={opened.undo} />
          <button data-needs="edit" type="button" className="plain-link" onClick={() => void remove()}>
            take it away…
          </button>
        </div>
      </div>
      {opened.problem && <Notice sentence={`It cannot be read: ${opened.problem}.`} />}
      <p role="status" className={opened.said.startsWith("Bringing") ? "muted" : "problem"}>
        {opened.said}
      </p>
      {looked && file && <HowItIsRead source={source} looked={looked} change={opened.change} />}
      {looked && file && looked.records.length > 0 && (
        <FramedCells document={source.document} looked={looked} change={opened.change} />
      )}
      {looked && !file && !later && <MadeColumns source={source} looked={looked} change={opened.change} />}
      {later && <ReadWhenItRuns project={project} opened={opened} />}
      {looked && !looked.records.length && <MadeRows looked={looked} />}
      {opened.profile && opened.profile.columns.length > 0 && (
        <ColumnsOf
          document={source.document}
          profile={opened.profile}
          change={file ? opened.change : undefined}
          underWay={opened.underWay}
        />
      )}
      {file && <Versions project={project} source={source} bring={opened.bring} />}
    </div>
  );
}

/** How many rows there were when they were looked at, or written, last. */
function CountedLast({ opened: { source, profile, looking } }: { opened: Opened }) {
  if (!profile) return looking ? "A runner is looking…" : "Counted when it runs";
  const when =
    source?.kind === "output" ? "in the newest run that wrote them" : "when they were last looked at";
  return `${profile.whole ? "" : "Over "}${count(profile.rows, "row")} ${when}, read anew when it runs`;
}

/** How many rows there are, or how far they have been counted. */
function Counted({ opened }: { opened: Opened }) {
  const { profile, underWay, rowsSoFar } = opened;
  if (!profile) return "Looking…";
  if (underWay === "broken off") return `The first ${count(profile.rows, "row")} were looked through`;
  if (underWay) return `${count(Math.max(profile.rows, rowsSoFar), "row")} looked through so far`;
  const bad = profile.badCount
    ? `, of which ${count(profile.badCount, "cannot", "cannot")} be carried out`
    : "";
  return `${count(profile.rows, "row")}${bad}`;
}
