import { type KeyboardEvent, useEffect, useRef, useState } from "react";
import type { RunCase, RunRow, Verdict } from "../../../api";
import { Notice } from "../../../parts/Notice";
import { useWindow } from "../../../parts/tree/useWindow";
import { type ChosenCell, cellId, ROW_HEIGHT } from "./cells";
import { MatrixRow } from "./MatrixRow";
import { move } from "./moving";
import { type Column, columnsOf, type Facts, firstStep, type Order, orderOf, slowest } from "./rows";
import { useRows } from "./useRows";

interface Props {
  run: string;
  entry: RunCase;
  /** The columns that are shown of its rows. */
  values: string[];
  count: number;
  verdicts: ReadonlySet<Verdict>;
  facts: Facts;
  order: Order;
  sort: (order: Order) => void;
  plain: boolean;
  chosen: ChosenCell | undefined;
  choose: (cell: ChosenCell) => void;
}

/** Rows by steps, of which only those in sight are drawn. Arrow keys move from cell to cell. */
export function Matrix(props: Props) {
  const { entry, values, count, facts, order, plain, chosen, choose } = props;
  const box = useRef<HTMLDivElement>(null);
  const window = useWindow(box, count, ROW_HEIGHT);
  const read = useRows({ ...props, position: entry.position, first: window.first, last: window.last });
  const first = useFirst(read.row);
  const columns = columnsOf(entry, values, first);
  const [at, setAt] = useState<{ index: number; column: number }>();
  const inSight: (RunRow | undefined)[] = [];
  for (let index = window.first; index < window.last; index += 1) inSight.push(read.row(index));
  const scale = slowest(inSight);
  const look = (index: number, column: number) => {
    setAt({ index, column });
    window.reveal(index);
  };
  // What is looked at follows the keys; a row that is still being read is looked at as soon as it is there.
  const row = at && read.row(at.index);
  const wanted = row && cellAt(row, columns[at.column]);
  const name = wanted && `${wanted.row} ${wanted.part} ${wanted.index}`;
  const told = useRef("");
  useEffect(() => {
    if (!wanted || told.current === name) return;
    told.current = name ?? "";
    choose(wanted);
  }, [wanted, name, choose]);
  const keys = (event: KeyboardEvent) => {
    const moved = move(event.key, at ?? { index: -1, column: 0 }, count, columns.length);
    if (!moved || event.ctrlKey || event.altKey) return;
    event.preventDefault();
    look(moved.index, moved.column);
  };
  const template = columns.map(track).join(" ");
  return (
    <>
      {read.problem && <Notice sentence={read.problem.message} />}
      <div
        ref={box}
        className="matrix"
        role="grid"
        tabIndex={0}
        aria-label="Rows"
        aria-rowcount={count + 1}
        aria-colcount={columns.length}
        aria-activedescendant={at ? cellId(at.index, at.column) : undefined}
        onScroll={window.onScroll}
        onKeyDown={keys}
      >
        {!plain && <Heads {...props} columns={columns} template={template} facts={facts} order={order} />}
        <div className="matrix-rows" style={{ height: count * ROW_HEIGHT }} role="rowgroup">
          {inSight.map((item, place) => {
            const index = window.first + place;
            return (
              <MatrixRow
                key={index}
                index={index}
                row={item}
                entry={entry}
                columns={columns}
                template={template}
                facts={facts}
                plain={plain}
                scale={scale}
                chosen={chosen && item?.row === chosen.row ? chosen : undefined}
                at={at?.index === index ? at.column : undefined}
                look={look}
              />
            );
          })}
        </div>
      </div>
    </>
  );
}

/** Steps make room for one another before anything is out of sight. */
function track({ kind, width }: Column): string {
  const least = kind === "step" ? 102 : kind === "total" ? 62 : width;
  return `minmax(${least}px, ${width}px)`;
}

/** The first rows that were read, by which columns keep their widths. */
function useFirst(row: (index: number) => RunRow | undefined): RunRow[] {
  const first = useRef<RunRow[]>([]);
  if (!first.current.length) {
    for (let index = 0; index < 40; index += 1) {
      const item = row(index);
      if (item) first.current.push(item);
    }
  }
  return first.current;
}

function cellAt(row: RunRow, column: Column | undefined): ChosenCell | undefined {
  if (column?.kind === "step") return { row: row.row, part: column.part, index: column.index };
  const step = firstStep(row);
  return { row: row.row, part: step?.part ?? "steps", index: step?.index ?? 0 };
}

interface HeadProps extends Props {
  columns: Column[];
  template: string;
}

/** The columns' names; each sorts by what stands below it. */
function Heads({ columns, template, facts, order, sort }: HeadProps) {
  return (
    <div className="matrix-heads" role="row" tabIndex={-1} style={{ gridTemplateColumns: template }}>
      {columns.map((column) => {
        const by = orderOf(column, facts);
        const is = order.by === by;
        return (
          <span
            key={`${column.kind} ${column.name} ${"index" in column ? column.index : ""}`}
            role="columnheader"
            tabIndex={-1}
            aria-sort={is ? (order.down ? "descending" : "ascending") : "none"}
          >
            <button
              type="button"
              tabIndex={-1}
              title={`Sort by ${column.name}`}
              onClick={() => sort({ by, down: is ? !order.down : false })}
            >
              {column.name}
              {is && <span aria-hidden="true">{order.down ? " ↓" : " ↑"}</span>}
            </button>
          </span>
        );
      })}
    </div>
  );
}
