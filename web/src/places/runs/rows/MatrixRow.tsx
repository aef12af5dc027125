import { memo } from "react";
import type { RunCase, RunRow } from "../../../api";
import { duration } from "../../../base/format";
import { VerdictMark } from "../../../parts/VerdictMark";
import { type ChosenCell, cellId, ROW_HEIGHT } from "./cells";
import { type Column, cellOf, type Facts, rowSentence } from "./rows";
import { StepCell, trouble } from "./StepCell";

interface Props {
  index: number;
  row: RunRow | undefined;
  entry: RunCase;
  columns: Column[];
  template: string;
  facts: Facts;
  plain: boolean;
  scale: number;
  chosen: ChosenCell | undefined;
  at: number | undefined;
  look: (index: number, column: number) => void;
}

/** One row: its values, and what became of each step; or, plainly, one sentence. */
export const MatrixRow = memo(function MatrixRow({
  index,
  row,
  entry,
  plain,
  chosen,
  at,
  look,
  ...props
}: Props) {
  const style = { top: index * ROW_HEIGHT, gridTemplateColumns: plain ? "1fr" : props.template };
  if (!row) return <div className="matrix-row reading" style={style} />;
  if (plain) {
    return (
      // biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and moves in it
      <div
        className={`matrix-row ${chosen ? "chosen" : ""}`}
        role="row"
        style={style}
        aria-rowindex={index + 2}
      >
        {/* biome-ignore lint/a11y/useFocusableInteractive: as above */}
        {/* biome-ignore lint/a11y/useKeyWithClickEvents: as above */}
        <div role="gridcell" className="matrix-sentence" id={cellId(index, 0)} onClick={() => look(index, 0)}>
          <VerdictMark verdict={row.verdict} size={13} />
          <span>{rowSentence(entry, row)}</span>
          <span className="number">{duration(row.ms)}</span>
        </div>
      </div>
    );
  }
  return (
    // biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and moves in it
    <div className="matrix-row" role="row" style={style} aria-rowindex={index + 2}>
      {props.columns.map((column, place) => (
        <Cell
          key={`${column.kind} ${column.name} ${"index" in column ? column.index : ""}`}
          id={cellId(index, place)}
          row={row}
          column={column}
          facts={props.facts}
          scale={props.scale}
          at={at === place}
          chosen={column.kind === "step" && chosen?.part === column.part && chosen.index === column.index}
          look={() => look(index, place)}
        />
      ))}
      {row.why && !row.cells.length && <span className="matrix-why">{row.why.sentence}</span>}
    </div>
  );
});

interface CellProps {
  id: string;
  row: RunRow;
  column: Column;
  facts: Facts;
  scale: number;
  at: boolean;
  chosen: boolean;
  look: () => void;
}

function Cell({ id, row, column, facts, scale, at, chosen, look }: CellProps) {
  const step = cellOf(row, column);
  const states = [step && trouble(step), at && "at", chosen && "chosen"].filter(Boolean).join(" ");
  return (
    // biome-ignore lint/a11y/useKeyWithClickEvents lint/a11y/useFocusableInteractive: the grid has the focus, and the keys
    <div
      id={id}
      role="gridcell"
      aria-selected={chosen}
      className={`matrix-cell of-${column.kind} ${states}`}
      onClick={look}
    >
      {column.kind === "number" && (
        <>
          <VerdictMark verdict={row.verdict} size={12} /> {row.row}
        </>
      )}
      {column.kind === "value" && <span title={row.data[column.name]}>{row.data[column.name]}</span>}
      {column.kind === "total" && duration(row.ms)}
      {step && <StepCell step={step} facts={facts} scale={scale} />}
    </div>
  );
}
