import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import type { RunReport, Shapes } from "../../api";
import { queries } from "../../api/queries";
import { count, duration, whole } from "../../base/format";

type Asked = Shapes["AskedAddress"];

const COLUMNS = [
  ["requests", "requests"],
  ["share", "passed"],
  ["median", "median"],
  ["slowest", "slowest"],
] as const;
type Column = (typeof COLUMNS)[number][0];

/** What an ended run asked, address by address: how often, how much of it passed, how long it took. It is counted when it is unfolded. */
export function Addresses({ run }: { run: RunReport }) {
  const [open, setOpen] = useState(false);
  const [by, setBy] = useState<Column>();
  const found = useQuery({ ...queries.addresses(run.id), enabled: open }).data?.items;
  const shown = by && found ? [...found].sort((a, b) => inColumn(b, by) - inColumn(a, by)) : found;
  return (
    <div className="addresses">
      <button type="button" className="plain-link" aria-expanded={open} onClick={() => setOpen(!open)}>
        What was asked, by address
      </button>
      {open && found && (
        <>
          <p className="muted small">{count(found.length, "address", "addresses")}</p>
          <table>
            <thead>
              <tr>
                <th scope="col">address</th>
                {COLUMNS.map(([column, name]) => (
                  <th key={column} scope="col" aria-sort={by === column ? "descending" : undefined}>
                    <button type="button" className="in-place" onClick={() => setBy(column)}>
                      {name}
                    </button>
                  </th>
                ))}
              </tr>
            </thead>
            <tbody>
              {shown?.map((one) => (
                <tr key={one.address}>
                  <th scope="row" className="mono">
                    {one.address}
                  </th>
                  <td className="number">{whole(one.requests)}</td>
                  <td className={one.failed + one.blocked ? "number trouble" : "number"}>{share(one)}</td>
                  <td className="number">{duration(one.median)}</td>
                  <td className="number">{duration(one.slowest)}</td>
                </tr>
              ))}
            </tbody>
          </table>
        </>
      )}
    </div>
  );
}

function inColumn(one: Asked, by: Column): number {
  return by === "share" ? -(one.passed / judged(one) || 0) : one[by];
}

/** What was checked, or could not be carried out: what is skipped or checks nothing has no share in what passed. */
const judged = ({ passed, failed, blocked }: Asked): number => passed + failed + blocked;

/** The share that passed, never rounded up to all of it. */
function share(one: Asked): string {
  const of = judged(one);
  if (!of) return "unchecked";
  return `${one.passed === of ? 100 : Math.min(Math.floor((100 * one.passed) / of), 99)} %`;
}
