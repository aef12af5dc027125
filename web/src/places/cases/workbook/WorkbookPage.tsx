import { useState } from "react";
import { Link, useSearchParams } from "react-router";
import { api } from "../../../api";
import { count } from "../../../base/format";
import { DropFile } from "../../../parts/DropFile";
import { useProject } from "../../../state/project";
import { useSuite } from "../useSuite";
import { Mapping } from "./Mapping";
import { PlannedRows } from "./PlannedRows";
import { type Opened, useWorkbook } from "./useWorkbook";

/** A workbook of expected values becomes checks: what its columns are, what comes of its rows, and which cannot be read. */
export function WorkbookPage() {
  const project = useProject();
  const [search] = useSearchParams();
  const suite = search.get("suite") ?? "";
  const only = search.get("case") ?? undefined;
  const into = useSuite(suite);
  const name = into?.cases.find((line) => line.id === only)?.name ?? into?.name ?? "";
  const [opened, setOpened] = useState<Opened>();
  const [said, setSaid] = useState("");
  const take = async (file: File | undefined) => {
    if (!file || !project) return;
    setSaid(`Reading ${file.name}…`);
    try {
      setOpened({ file, book: await api.readWorkbook(project.id, file) });
      setSaid("");
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  return (
    <div className="page workbook">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">Cases</Link> ▸{" "}
            <Link to={only ? `/cases/${only}?view=sheet` : `/cases/suite/${suite}`}>{name}</Link> ▸ from a
            workbook
          </p>
          <h1>{opened ? opened.file.name : "Checks from a workbook"}</h1>
        </div>
      </div>
      {opened ? (
        <Reading
          key={opened.file.name}
          opened={opened}
          suite={suite}
          only={only}
          other={() => setOpened(undefined)}
        />
      ) : project ? (
        <DropFile
          label="A workbook or a CSV file"
          accept=".xlsx,.xlsm,.csv,.tsv,.txt"
          take={(file) => void take(file)}
        >
          <p>
            Drop a workbook (.xlsx) or a CSV file here whose rows say what is sent and what is expected: one
            that was saved from a sheet here, or your own. What its columns are is asked once, and remembered.
          </p>
          <p className="muted">Before anything changes, you see what would, and which rows cannot be read.</p>
        </DropFile>
      ) : null}
      <p role="status" className={said.startsWith("Reading") ? "muted" : "problem"}>
        {said}
      </p>
    </div>
  );
}

interface ReadingProps {
  opened: Opened;
  suite: string;
  only: string | undefined;
  other: () => void;
}

function Reading({ opened, suite, only, other }: ReadingProps) {
  const state = useWorkbook(opened, suite, only);
  const { sheet, reading, taken } = state;
  const { book } = opened;
  if (!sheet) return null;
  const back = only ? `/cases/${only}?view=sheet` : `/cases/suite/${suite}`;
  if (taken)
    return (
      <div className="taken">
        <p role="status">
          {count(taken.saved.length, "case")} {taken.saved.length === 1 ? "has" : "have"} what the workbook
          says.{" "}
          {taken.left.length > 0 &&
            `Changed by someone else meanwhile, and left alone: ${taken.left.join(", ")}. `}
          {taken.faults.length > 0 && `${count(taken.faults.length, "row was", "rows were")} not taken over.`}
        </p>
        <p>
          <Link to={back}>Look at the sheet</Link>{" "}
          <button data-needs="edit" type="button" className="plain-link" onClick={() => void state.undo()}>
            Undo all of it
          </button>
        </p>
      </div>
    );
  return (
    <>
      {book.said.map((sentence) => (
        <p key={sentence} className="trouble">
          {sentence}
        </p>
      ))}
      <p>
        {book.sheets.length > 1 ? (
          <label>
            Its sheet{" "}
            <select value={state.at} onChange={(event) => state.choose(Number(event.target.value))}>
              {book.sheets.map((item, index) => (
                <option key={item.name} value={index}>
                  {item.name}
                </option>
              ))}
            </select>
          </label>
        ) : (
          "It"
        )}{" "}
        has {count(Math.max(0, sheet.table.length - reading.headings - 1), "row")} below the headings.{" "}
        {sheet.own &&
          "It was saved from a sheet here, so its columns are known, and a row that is gone takes its check away. "}
        <button type="button" className="plain-link" onClick={other}>
          another file…
        </button>
      </p>
      {!sheet.own && (
        <Mapping sheet={sheet} reading={reading} change={state.setReading} only={Boolean(only)} />
      )}
      <PlannedRows
        sheet={sheet}
        reading={reading}
        change={state.setReading}
        planned={state.planned}
        take={() => void state.take()}
      />
      <p role="alert" className="problem">
        {state.problem}
      </p>
    </>
  );
}
