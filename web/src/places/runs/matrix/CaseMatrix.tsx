import { type KeyboardEvent, useCallback, useMemo, useRef, useState } from "react";
import type { RunCase } from "../../../api";
import { useWindow } from "../../../parts/tree/useWindow";
import { cellId, ROW_HEIGHT } from "../rows/cells";
import type { Chosen } from "../rows/chosen";
import { move } from "../rows/moving";
import type { Facts } from "../rows/rows";
import { CaseLine } from "./CaseLine";
import { headsOf, linesOf } from "./lines";

interface Props {
  run: string;
  /** The run went to several environments. */
  several: boolean;
  cases: readonly RunCase[];
  facts: Facts;
  chosen: Chosen | undefined;
  choose: (chosen: Chosen) => void;
}

/** Cases by steps, and within a case its rows; only what is in sight is drawn. Arrow keys move from cell to cell, Enter looks at one or unfolds a case. */
export function CaseMatrix({ run, several, cases, facts, chosen, choose }: Props) {
  const [open, setOpen] = useState<ReadonlySet<number>>(new Set());
  const lines = useMemo(() => linesOf(cases, open), [cases, open]);
  const heads = useMemo(() => headsOf(cases), [cases]);
  const box = useRef<HTMLDivElement>(null);
  const window = useWindow(box, lines.length, ROW_HEIGHT);
  const [at, setAt] = useState({ index: 0, column: 0 });
  const turn = useCallback((position: number) => {
    setOpen((before) => {
      const next = new Set(before);
      if (!next.delete(position)) next.add(position);
      return next;
    });
  }, []);
  const columns = heads.length + 2;
  const keys = (event: KeyboardEvent) => {
    if (event.ctrlKey || event.altKey) return;
    if (event.key === "Enter" || event.key === " ") {
      event.preventDefault();
      document.getElementById(cellId(at.index, at.column))?.click();
      return;
    }
    const moved = move(event.key, at, lines.length, columns);
    if (!moved) return;
    event.preventDefault();
    setAt(moved);
    window.reveal(moved.index);
  };
  const inSight = lines.slice(window.first, window.last);
  const scale = Math.max(1, ...inSight.flatMap(({ entry }) => entry.steps.map(({ ms }) => ms)));
  const template = `minmax(230px, 2fr) repeat(${heads.length}, minmax(82px, 1fr)) 74px`;
  return (
    <div
      ref={box}
      className="matrix of-cases"
      role="grid"
      tabIndex={0}
      aria-label="Cases by steps"
      aria-rowcount={lines.length + 1}
      aria-colcount={columns}
      aria-activedescendant={cellId(at.index, at.column)}
      onScroll={window.onScroll}
      onKeyDown={keys}
      onClick={(event) => {
        const cell = (event.target as HTMLElement).closest("[role=gridcell]")?.id.split("-").map(Number);
        if (cell?.length === 3) setAt({ index: cell[1] ?? 0, column: cell[2] ?? 0 });
      }}
    >
      <div className="matrix-heads" role="row" tabIndex={-1} style={{ gridTemplateColumns: template }}>
        {["case", ...heads, "in all"].map((head, place) => (
          // biome-ignore lint/suspicious/noArrayIndexKey: columns stay where they are
          <span key={place} role="columnheader" tabIndex={-1} className="matrix-head" title={head}>
            {head}
          </span>
        ))}
      </div>
      <div className="matrix-rows" style={{ height: lines.length * ROW_HEIGHT }} role="rowgroup">
        {inSight.map(({ entry, row }, place) => (
          <CaseLine
            key={`${entry.position} ${row ?? ""}`}
            run={run}
            several={several}
            entry={entry}
            row={row}
            at={window.first + place}
            columns={columns}
            template={template}
            facts={facts}
            scale={scale}
            focused={at.index === window.first + place ? at.column : undefined}
            chosen={chosen?.position === entry.position ? chosen : undefined}
            choose={choose}
            open={open.has(entry.position)}
            turn={turn}
          />
        ))}
      </div>
    </div>
  );
}
