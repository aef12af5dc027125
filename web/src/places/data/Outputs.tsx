import { useInfiniteQuery, useQuery } from "@tanstack/react-query";
import { useRef, useState } from "react";
import { Link } from "react-router";
import { api, type OutputTable } from "../../api";
import { queries } from "../../api/queries";
import { ago, count } from "../../base/format";
import { CellTable } from "../../parts/CellTable";
import { columnsSaid } from "./source";

/** The tables that steps of runs have written. */
export function Outputs({ project }: { project: string }) {
  const query = useQuery(queries.outputTables(project));
  const [opened, setOpened] = useState("");
  const tables = query.data?.items ?? [];
  return (
    <section aria-label="Output tables" className="outputs">
      <h2>Output tables</h2>
      {query.isSuccess && !tables.length && (
        <p className="muted">
          No run has written one. Open a step of a case and choose “write a row”: its columns can be values,
          places of the answer, and its verdict.
        </p>
      )}
      <ul className="sources">
        {tables.map((table) => (
          <li key={table.name} className="source-line">
            <p>
              <button
                type="button"
                className="plain-link source-name"
                aria-expanded={opened === table.name}
                onClick={() => setOpened(opened === table.name ? "" : table.name)}
              >
                {table.name}
              </button>{" "}
              {count(table.rows, "row")}, with {columnsSaid(table.columns)}
            </p>
            <Written table={table} project={project} open={opened === table.name} />
          </li>
        ))}
      </ul>
    </section>
  );
}

function Written({ table, project, open }: { table: OutputTable; project: string; open: boolean }) {
  const [chosen, setChosen] = useState("");
  const newest = table.runs[0];
  const run = table.runs.find((item) => item.id === chosen) ?? newest;
  if (!run) return null;
  return (
    <>
      <p className="muted small">
        written by{" "}
        {table.runs.length > 1 ? (
          <select
            className="in-sentence"
            aria-label={`Which run wrote ${table.name}`}
            value={run.id}
            onChange={(event) => setChosen(event.target.value)}
          >
            {table.runs.map((item) => (
              <option key={item.id} value={item.id}>
                run {item.number}, {item.title}, {ago(item.at)}
              </option>
            ))}
          </select>
        ) : (
          <Link to={`/runs/${run.id}`}>
            run {run.number}, {run.title}, {ago(run.at)}
          </Link>
        )}
        {" · save it as "}
        <a href={api.outputFile(project, table.name, run.id, "xlsx")} download>
          a workbook
        </a>
        {", as "}
        <a href={api.outputFile(project, table.name, run.id, "csv")} download>
          CSV
        </a>
        {", or "}
        <IntoOwn project={project} table={table.name} run={run.id} />
      </p>
      {open && <Rows project={project} table={table.name} run={run.id} />}
    </>
  );
}

function Rows({ project, table, run }: { project: string; table: string; run: string }) {
  const query = useInfiniteQuery(queries.outputRows(project, table, run));
  const pages = query.data?.pages ?? [];
  const columns = pages[0]?.columns ?? [];
  const rows = pages.flatMap((page) => page.items);
  return (
    <CellTable label={`The rows of ${table}`} columns={columns} rows={rows} numbered>
      {query.hasNextPage && (
        <button type="button" className="plain-link" onClick={() => void query.fetchNextPage()}>
          more rows
        </button>
      )}
    </CellTable>
  );
}

/** The table into a place of the tester's own workbook, which comes back as a file. */
function IntoOwn({ project, table, run }: { project: string; table: string; run: string }) {
  const [open, setOpen] = useState(false);
  const [sheet, setSheet] = useState("");
  const [cell, setCell] = useState("A1");
  const [said, setSaid] = useState("");
  const link = useRef<HTMLAnchorElement>(null);
  const put = async (file: File | undefined) => {
    if (!file || !link.current) return;
    try {
      const blob = await api.intoWorkbook(project, table, run, {
        sheet: sheet.trim(),
        cell: cell.trim(),
        file,
      });
      link.current.href = URL.createObjectURL(blob);
      link.current.download = file.name;
      link.current.click();
      URL.revokeObjectURL(link.current.href);
      setSaid(`${table} stands in it.`);
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  if (!open)
    return (
      <button type="button" className="plain-link" onClick={() => setOpen(true)}>
        put it into a workbook of yours…
      </button>
    );
  return (
    <span className="into-own">
      into sheet{" "}
      <input
        aria-label="Which sheet of your workbook"
        placeholder="Fees"
        value={sheet}
        onChange={(event) => setSheet(event.target.value)}
      />{" "}
      at{" "}
      <input
        aria-label="Its first cell"
        className="mono"
        value={cell}
        size={5}
        onChange={(event) => setCell(event.target.value)}
      />{" "}
      of{" "}
      <label className="plain-link">
        your workbook
        <input
          type="file"
          accept=".xlsx,.xlsm"
          aria-label="Your workbook"
          onChange={(event) => void put(event.target.files?.[0])}
        />
      </label>{" "}
      <span role="status">{said}</span>
      {/* biome-ignore lint/a11y/useAnchorContent: what is saved is handed to the browser by it */}
      {/* biome-ignore lint/a11y/useValidAnchor: its address is set when there is something to save */}
      <a ref={link} hidden />
    </span>
  );
}
