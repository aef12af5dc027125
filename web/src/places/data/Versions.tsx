import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { DataSource, FileVersion, SourceChanges } from "../../api";
import { queries } from "../../api/queries";
import { ago, count, exactly, listed, size, whole } from "../../base/format";
import { DropFile } from "../../parts/DropFile";
import { FILES } from "./source";

interface Props {
  project: string;
  source: DataSource;
  bring: (file: File) => Promise<string | undefined>;
}

/** The file's versions, each with what it changed; and the place for the next one. */
export function Versions({ project, source, bring }: Props) {
  const [opened, setOpened] = useState<number>();
  const query = useQuery(queries.fileVersions(project, source.file, source.changedAt));
  const versions = query.data?.items ?? [];
  const latest = versions[0]?.version;
  return (
    <section aria-label="Versions of the file" className="versions">
      <h2>The file</h2>
      <DropFile label="A new version of the file" accept={FILES} take={(file) => file && void bring(file)}>
        <p>
          Drop a new version of {source.file} here. Runs that have begun go on with the one they began with.
        </p>
      </DropFile>
      <ul>
        {versions.map((version, index) => {
          const before = versions[index + 1];
          const shown = before && version.version === (opened ?? latest);
          return (
            <li key={version.version}>
              <span title={exactly(version.at)}>{ago(version.at)}</span> by {version.by}, {size(version.size)}
              {before && !shown && (
                <>
                  {" · "}
                  <button type="button" className="plain-link" onClick={() => setOpened(version.version)}>
                    what it changed
                  </button>
                </>
              )}
              {before && shown && (
                <Changed project={project} source={source} before={before} after={version} />
              )}
            </li>
          );
        })}
      </ul>
    </section>
  );
}

function Changed({
  project,
  source,
  before,
  after,
}: Omit<Props, "bring"> & { before: FileVersion; after: FileVersion }) {
  const query = useQuery(queries.fileChanges(project, source.document, before.version, after.version));
  if (query.error) return <p className="trouble">{query.error.message}</p>;
  if (!query.data) return <p className="muted">Comparing…</p>;
  const found = query.data;
  return (
    <div className="file-changes">
      <p>{sentence(found)}</p>
      <ul>
        {found.cells.map((cell) => (
          <li key={`${cell.row} ${cell.column}`}>
            Row {whole(cell.row)}, <span className="reference mono">{cell.column}</span>:{" "}
            <del>{cell.was || "nothing"}</del> <ins>{cell.now || "nothing"}</ins>
          </li>
        ))}
        {found.new.map((row) => (
          <li key={`new ${row}`}>
            new: <span className="mono">{row}</span>
          </li>
        ))}
        {found.gone.map((row) => (
          <li key={`gone ${row}`}>
            gone: <span className="mono">{row}</span>
          </li>
        ))}
      </ul>
    </div>
  );
}

function sentence(found: SourceChanges): string {
  const words: string[] = [];
  if (found.columnsNew.length)
    words.push(
      `${listed(found.columnsNew)} ${found.columnsNew.length > 1 ? "are new columns" : "is a new column"}`,
    );
  if (found.columnsGone.length)
    words.push(`${listed(found.columnsGone)} ${found.columnsGone.length > 1 ? "are gone" : "is gone"}`);
  if (found.cellsChanged)
    words.push(`${count(found.cellsChanged, "cell")} in ${count(found.rowsChanged, "row")} read otherwise`);
  if (found.rowsNew) words.push(`${count(found.rowsNew, "row is", "rows are")} new`);
  if (found.rowsGone) words.push(`${count(found.rowsGone, "row is", "rows are")} gone`);
  const by = found.key ? `Rows are known again by ${found.key}. ` : "";
  const part = found.whole ? "" : ` Of the first ${whole(Math.min(found.rowsBefore, found.rowsNow))} rows.`;
  if (!words.length) return `The rows say the same as before.${part}`;
  const said = listed(words);
  return `${by}${said[0]?.toUpperCase()}${said.slice(1)}.${part}`;
}
