import { type CSSProperties, useEffect, useRef } from "react";
import type { Environment, ValueRow } from "../../api";
import { useWindow } from "../../parts/tree/useWindow";
import { EnvironmentHead } from "./EnvironmentHead";
import type { useValueGrid } from "./useValueGrid";
import { ValueLine } from "./ValueLine";
import { keyOf } from "./values";

const ROW = 30;

interface Props {
  rows: ValueRow[];
  environments: Environment[];
  grid: ReturnType<typeof useValueGrid>;
  refresh: () => Promise<unknown>;
}

/** Values and environments side by side; only the rows in sight are drawn. */
export function ValueGrid({ rows, environments, grid, refresh }: Props) {
  const box = useRef<HTMLDivElement>(null);
  const window = useWindow(box, rows.length + 1, ROW);
  const { at, typing, area } = grid;
  // biome-ignore lint/correctness/useExhaustiveDependencies: when another row becomes the active one
  useEffect(() => window.reveal(at[0]), [at[0]]);
  // The field is gone once its text is taken, and the keys belong to the grid again.
  useEffect(() => {
    if (typing === undefined && document.activeElement === document.body) box.current?.focus();
  }, [typing]);
  const widths = {
    "--columns": `minmax(150px, 1.1fr) repeat(${environments.length + 1}, minmax(130px, 1fr)) 92px`,
  } as CSSProperties;
  const last = Math.min(window.last, rows.length);
  return (
    <div
      ref={box}
      role="grid"
      tabIndex={0}
      aria-label="Values"
      aria-rowcount={rows.length + 2}
      aria-colcount={environments.length + 3}
      aria-multiselectable="true"
      aria-activedescendant={`value-${at[0]}-${at[1]}`}
      className="sheet values"
      style={widths}
      onKeyDown={grid.keys}
      onCopy={grid.copy}
      onPaste={grid.paste}
      onScroll={window.onScroll}
    >
      {/* biome-ignore lint/a11y/useFocusableInteractive: the grid has the focus, and says which cell is active */}
      <div role="row" className="sheet-row heads">
        <Head>name</Head>
        <Head>everywhere</Head>
        {environments.map((environment) => (
          <Head key={environment.id}>
            <EnvironmentHead of={environment} refresh={refresh} />
          </Head>
        ))}
        <Head>used in</Head>
      </div>
      <div style={{ height: window.first * ROW }} />
      {rows.slice(window.first, last).map((row, index) => {
        const number = window.first + index;
        const inArea = number >= area.top && number <= area.bottom;
        return (
          <ValueLine
            key={keyOf(row)}
            row={row}
            number={number}
            left={inArea ? area.left : -1}
            right={inArea ? area.right : -1}
            active={number === at[0] ? at[1] : -1}
            typing={number === at[0] ? typing : undefined}
            grid={grid}
          />
        );
      })}
      <div style={{ height: (rows.length - last) * ROW }} />
      <ValueLine
        row={undefined}
        number={rows.length}
        left={-1}
        right={-1}
        active={at[0] === rows.length ? at[1] : -1}
        typing={at[0] === rows.length ? typing : undefined}
        grid={grid}
      />
    </div>
  );
}

function Head({ children }: { children: React.ReactNode }) {
  // biome-ignore lint/a11y/useFocusableInteractive: see above
  return <span role="columnheader">{children}</span>;
}
