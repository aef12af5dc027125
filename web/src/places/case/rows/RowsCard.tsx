import { useState } from "react";
import { api, type Case, type Environment, type Step, type StepEvidence } from "../../../api";
import { useStale } from "../../../api/stale";
import { type Json, readExact, writeExact } from "../../../base/exact";
import { count } from "../../../base/format";
import { checksOf, inChecks, setOwn, stepWith } from "../../../case/document";
import { byName, expectedByName, withPick, withSource, writtenOut } from "../../../case/rowColumns";
import { InPlace } from "../../../parts/typing/InPlace";
import { useEdited } from "../state/context";
import { ColumnPlaces } from "./ColumnPlaces";
import { FinishedRows } from "./FinishedRows";
import { newSource } from "./newSource";
import { RowsSource } from "./RowsSource";

const FEW_ROWS = 3;

interface Props {
  of: Case;
  /** The step in focus, into which columns go. */
  step: Step | undefined;
  seen: StepEvidence | undefined;
  environment: Environment | undefined;
}

/** The rows that the case runs over: where they come from, which are meant, the first of them; and their columns, to be put into the step in focus. */
export function RowsCard({ of, step, seen, environment }: Props) {
  const { editing } = useEdited();
  const [picked, setPicked] = useState<string>();
  const [finished, setFinished] = useState(false);
  const [said, setSaid] = useState("");
  const tell = useStale();
  const { rows } = of;
  if (!rows) return null;
  const document = step && stepWith(editing.document, step.key);
  const request = step?.send && document ? document : undefined;
  const inBody = request ? byName(request, rows.columns) : undefined;
  const put = async (act: Promise<string | undefined>, done: string) => setSaid((await act) ?? done);
  const takeIn = () =>
    inBody &&
    void put(
      editing.apply(inBody.change),
      `${count(inBody.columns.length, "column")} put into ${step?.name}.`,
    );
  const expectAll = async () => {
    const answer = await answerOf(seen);
    const checks = answer === undefined ? [] : expectedByName(answer, rows.columns, checksOf(document));
    if (!step || !checks.length)
      return setSaid("No field of the last answer has the name of a column that is not checked yet.");
    await put(
      editing.apply(inChecks(step.key, (before) => [...before, ...checks])),
      `${count(checks.length, "check")} made.`,
    );
  };
  const held = writtenOut(editing.document.rows);
  const intoData = async () => {
    try {
      const source = await newSource(tell, of, writeExact(held as Json), "json");
      await put(
        editing.apply(setOwn("rows", withSource(editing.document.rows, source))),
        `They stand in Data as ${source}.`,
      );
    } catch (problem) {
      setSaid((problem as Error).message);
    }
  };
  return (
    <section className="rows-card" aria-label="Rows">
      <p>
        Once for each row of <RowsSource of={of} />
        {" · "}
        <InPlace
          text={rows.pick}
          label="Which rows are meant"
          hint="Such as 1 to 20, every 10th, sample 50, where length above 90. Nothing: all of them."
          save={(pick) => editing.apply(setOwn("rows", withPick(editing.document.rows, pick.trim())))}
        >
          {rows.pick ? `only ${rows.pick}` : <span className="add">+ only some</span>}
        </InPlace>
        {" · "}
        {held && (
          <>
            <button data-needs="edit" type="button" className="plain-link" onClick={() => void intoData()}>
              make a source of them
            </button>
            {" · "}
          </>
        )}
        <button
          data-needs="edit"
          type="button"
          className="plain-link"
          onClick={() => void editing.apply(setOwn("rows", undefined))}
        >
          without rows
        </button>
      </p>
      {rows.problem && <p className="trouble">{rows.problem}</p>}
      {rows.columns.length > 0 && (
        <div className="rows-scroll">
          <table>
            <thead>
              <tr>
                {rows.columns.map((column) => (
                  <th key={column} scope="col">
                    <button
                      type="button"
                      className="reference mono"
                      aria-pressed={picked === column}
                      title={`Put ${column} into the step in focus`}
                      onClick={() => setPicked(picked === column ? undefined : column)}
                    >
                      {column}
                    </button>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {rows.first.slice(0, FEW_ROWS).map((cells, index) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: the first rows, in their order
                <tr key={index}>
                  {cells.map((cell, place) => (
                    <td key={rows.columns[place]} title={cell.length > 18 ? cell : undefined}>
                      {cell}
                    </td>
                  ))}
                </tr>
              ))}
            </tbody>
          </table>
        </div>
      )}
      {picked && step && (
        <ColumnPlaces
          column={picked}
          values={rows.first.map((cells) => cells[rows.columns.indexOf(picked)] ?? "")}
          step={step}
          put={(change, done) => {
            setPicked(undefined);
            void put(editing.apply(change), done);
          }}
        />
      )}
      {step && rows.columns.length > 0 && (
        <p className="rows-acts small">
          {inBody && inBody.columns.length > 0 && (
            <button data-needs="edit" type="button" className="plain-link" onClick={takeIn}>
              put {inBody.columns.join(", ")} into {step.name} by name
            </button>
          )}
          {seen && (
            <button data-needs="edit" type="button" className="plain-link" onClick={() => void expectAll()}>
              expect columns of its answer by name
            </button>
          )}
          {request && (
            <button
              type="button"
              className="plain-link"
              aria-expanded={finished}
              onClick={() => setFinished(!finished)}
            >
              {finished ? "close the finished requests" : "the finished requests of the first rows"}
            </button>
          )}
          <span role="status">{said}</span>
        </p>
      )}
      {finished && request && step && (
        <FinishedRows of={of} step={step} environment={environment?.name ?? ""} />
      )}
    </section>
  );
}

async function answerOf(seen: StepEvidence | undefined): Promise<Json | undefined> {
  const exchange = seen?.exchanges.at(-1);
  if (!exchange) return undefined;
  try {
    return readExact(await (await api.body(exchange.id)).text());
  } catch {
    return undefined;
  }
}
