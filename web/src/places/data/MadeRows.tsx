import type { LookedAt } from "../../app/api";

/** The first rows as they will be: of rows that are made, or of a list in a document. */
export function MadeRows({ looked }: { looked: LookedAt }) {
  if (!looked.rows.length) return null;
  return (
    // biome-ignore lint/a11y/noNoninteractiveTabindex: it scrolls by keys
    <section className="made-rows" aria-label="The first rows" tabIndex={0}>
      <table>
        <thead>
          <tr>
            <th scope="col">row</th>
            {looked.columns.map((name) => (
              <th key={name} scope="col" className="reference mono">
                {name}
              </th>
            ))}
          </tr>
        </thead>
        <tbody>
          {looked.rows.map((row) => (
            <tr key={row.row} title={row.why || undefined}>
              <td className="muted">{row.row}</td>
              {row.cells.map((cell, place) => (
                <td key={looked.columns[place]} className="mono">
                  {cell}
                </td>
              ))}
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}
