import type { ReactNode } from "react";
import { whole } from "../base/format";

interface Props {
  label: string;
  columns: string[];
  rows: string[][];
  /** The rows' numbers stand before them; what is said of a row on hover, by its place. */
  numbered?: boolean;
  why?: (place: number) => string;
  /** Whether its columns are values that a reference can insert. */
  referred?: boolean;
  children?: ReactNode;
}

/** Rows of cells to look at, in a box that scrolls. */
export function CellTable({ label, columns, rows, numbered, why, referred, children }: Props) {
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls by keys
    <section className="made-rows" aria-label={label} tabIndex={0}>
      <table>
        <thead>
          <tr>
            {numbered && <th scope="col">row</th>}
            {columns.map((name) => (
              <th key={name} scope="col" className={referred ? "reference mono" : "mono"}>
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {rows.map((cells, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: rows stand in a fixed order
            <tr key={index} title={why?.(index) || undefined}>
              {numbered && <td className="muted">{whole(index + 1)}</td>}
              {cells.map((cell, place) => (
                <td key={columns[place]} className="mono">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
      {children}
    </section>
  );
}
