import { useState } from "react";
import type { SheetTable } from "../../../api";
import { MEANINGS, meaning, OF, type Reading } from "./columns";

const SHOWN = 4;

interface Props {
  sheet: SheetTable;
  reading: Reading;
  change: (reading: Reading) => void;
  /** The rows are of one case, whatever they say. */
  only: boolean;
}

/** The first rows of a team's own table, and over each column what it is. */
export function Mapping({ sheet, reading, change, only }: Props) {
  const heads = sheet.table[reading.headings] ?? [];
  const width = Math.max(heads.length, reading.columns.length);
  const columns = Array.from({ length: width }, (_none, at) => reading.columns[at] ?? "");
  const below = sheet.table.slice(reading.headings + 1, reading.headings + 1 + SHOWN);
  const set = (at: number, means: string) => change({ ...reading, columns: meaning(columns, at, means) });
  return (
    <section aria-label="What the columns are">
      <div className="mapping">
        <table>
          <thead>
            <tr>
              {columns.map((column, at) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                <th key={at} scope="col">
                  <Meaning heading={heads[at] ?? ""} column={column} set={(means) => set(at, means)} />
                </th>
              ))}
            </tr>
            <tr>
              {columns.map((_column, at) => (
                // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                <th key={at} scope="col" className="heading">
                  {heads[at]}
                </th>
              ))}
            </tr>
          </thead>
          <tbody>
            {below.map((row, number) => (
              // biome-ignore lint/suspicious/noArrayIndexKey: a row is its place
              <tr key={number}>
                {columns.map((column, at) => (
                  // biome-ignore lint/suspicious/noArrayIndexKey: a column is its place
                  <td key={at} className={column ? undefined : "muted"}>
                    {row[at]}
                  </td>
                ))}
              </tr>
            ))}
          </tbody>
        </table>
      </div>
      <p>
        <label>
          The headings stand in row{" "}
          <input
            data-needs="edit"
            type="number"
            min={1}
            max={Math.max(1, sheet.table.length)}
            value={reading.headings + 1}
            onChange={(event) =>
              change({ ...reading, headings: Math.max(0, Number(event.target.value) - 1) })
            }
          />
        </label>
        {!only && !columns.includes("case") && (
          <label>
            {" · rows go into the case "}
            <input
              data-needs="edit"
              value={reading.otherwise}
              aria-label="The case of rows that name none"
              onChange={(event) => change({ ...reading, otherwise: event.target.value })}
            />
          </label>
        )}
      </p>
    </section>
  );
}

/** A heading as the field that it may be about, to be set right. */
const guessed = (heading: string): string =>
  `$.${
    heading
      .toLowerCase()
      .replace(/[^\p{L}\p{N}]+(.?)/gu, (_all, next: string) => next.toUpperCase())
      .replace(/^\P{L}+/u, "") || "id"
  }`;

interface MeaningProps {
  heading: string;
  column: string;
  set: (means: string) => void;
}

function Meaning({ heading, column, set }: MeaningProps) {
  const subject = column.startsWith(OF) ? column.slice(OF.length) : undefined;
  const [typed, setTyped] = useState(subject ?? "");
  return (
    <>
      <select
        aria-label={`What the column ${heading || "without a heading"} is`}
        value={subject === undefined ? column : OF}
        onChange={(event) =>
          set(event.target.value === OF ? `${OF}${typed || guessed(heading)}` : event.target.value)
        }
      >
        {MEANINGS.map(([name, words]) => (
          <option key={name} value={name}>
            is {words}
          </option>
        ))}
        <option value={OF}>is expected of…</option>
      </select>
      {subject !== undefined && (
        <input
          className="mono"
          aria-label={`What ${heading} is expected of`}
          placeholder="status, $.fee.total"
          key={subject}
          defaultValue={subject}
          onChange={(event) => setTyped(event.target.value)}
          onBlur={() => typed.trim() && typed !== subject && set(`${OF}${typed.trim()}`)}
          onKeyDown={(event) => event.key === "Enter" && typed.trim() && set(`${OF}${typed.trim()}`)}
        />
      )}
    </>
  );
}
