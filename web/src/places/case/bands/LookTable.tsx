import type { Step } from "../../../api";
import type { Json } from "../../../base/exact";
import { inStep } from "../../../case/document";
import { havingValue, turningColumn } from "../../../case/lookup";
import { cellOf, useLook } from "../../../state/looks";
import { useEdited } from "../state/context";

/** The first rows of a step's table, to point at: a column's name says that it is wanted, a cell that rows have to hold it. */
export function LookTable({ step }: { step: Step }) {
  const { editing } = useEdited();
  const database = step.lookUp?.database ?? "";
  const table = step.lookUp?.table ?? "";
  const query = useLook(database, table, Boolean(table));
  if (query.error) return <p className="trouble">{query.error.message}</p>;
  if (!query.data) return <p className="muted">Looking into {database}…</p>;
  const names = Object.keys(query.data[0] ?? {});
  if (!names.length) return <p className="muted">{table} holds no row yet.</p>;
  const wanted = new Set(step.lookUp?.columns ?? []);
  const turn = (name: string) => void editing.apply(inStep(step.key, turningColumn(name, names)));
  const where = (name: string, value: Json) => void editing.apply(inStep(step.key, havingValue(name, value)));
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls by keys
    <section className="made-rows look-table" aria-label={`The first rows of ${table}`} tabIndex={0}>
      <table>
        <thead>
          <tr>
            {names.map((name) => (
              <th key={name} scope="col">
                <button
                  type="button"
                  className="mono"
                  aria-pressed={wanted.has(name)}
                  title={wanted.has(name) ? `Leave ${name} out again` : `Only some columns: ${name} is one`}
                  onClick={() => turn(name)}
                >
                  {name}
                </button>
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {query.data.map((row, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: the first rows, in their order
            <tr key={index}>
              {names.map((name) => (
                <td key={name}>
                  <button
                    type="button"
                    title={`Only rows whose ${name} is this`}
                    onClick={() => where(name, row[name] ?? null)}
                  >
                    {cellOf(row[name]) || "–"}
                  </button>
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
