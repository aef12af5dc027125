import { type PointerEvent, type ReactNode, useRef, useState } from "react";
import { placeOf, type Span, spanName, tickName, ticks, within } from "./time";

/** Beyond this share a name would be cut off; on an axis with few names, which is short, sooner. */
const LAST_NAME = 0.94;
const LAST_OF_FEW = 0.89;
const FEW = 6;

/** The one time axis. Dragging over the time, on it or on any line, looks closer. */
export function TimeAxis({ span, most = 8 }: { span: Span; most?: number }) {
  return (
    <div className="time-axis" aria-hidden="true">
      {ticks(span, most).map((moment) => (
        <span key={moment} style={{ left: `${100 * placeOf(span, moment)}%` }}>
          {placeOf(span, moment) < (most > FEW ? LAST_NAME : LAST_OF_FEW) && tickName(moment, span)}
        </span>
      ))}
    </div>
  );
}

interface Props {
  span: Span;
  look: (span: Span) => void;
  /** A place of the time was clicked, on what stands at `target`. */
  pick?: (place: number, target: EventTarget) => void;
  className: string;
  children: ReactNode;
}

const LEAST_PX = 6;

/** Where the time is dragged over: what it holds has elements of the class `over-time`, all of one place and width. */
export function OverTime({ span, look, pick, className, children }: Props) {
  const [marked, setMarked] = useState<[number, number]>();
  const began = useRef<{ x: number; place: number; box: DOMRect }>(undefined);
  const around = useRef<HTMLDivElement>(null);
  const placeAt = (x: number, box: DOMRect) => Math.min(Math.max((x - box.left) / box.width, 0), 1);
  const begin = (event: PointerEvent) => {
    const line = (event.target as Element).closest(".over-time");
    if (!line || event.button !== 0) return;
    const box = line.getBoundingClientRect();
    began.current = { x: event.clientX, place: placeAt(event.clientX, box), box };
  };
  const move = (event: PointerEvent) => {
    const from = began.current;
    if (!from) return;
    if (!marked && Math.abs(event.clientX - from.x) < LEAST_PX) return;
    setMarked([from.place, placeAt(event.clientX, from.box)]);
    around.current?.setPointerCapture(event.pointerId);
  };
  const end = (event: PointerEvent) => {
    const from = began.current;
    began.current = undefined;
    setMarked(undefined);
    if (!from) return;
    if (marked) look(within(span, ...marked));
    else pick?.(from.place, event.target);
  };
  const box = around.current?.querySelector(".over-time")?.getBoundingClientRect();
  const outer = around.current?.getBoundingClientRect();
  return (
    <div
      ref={around}
      className={className}
      onPointerDown={begin}
      onPointerMove={move}
      onPointerUp={end}
      onPointerCancel={() => {
        began.current = undefined;
        setMarked(undefined);
      }}
    >
      {children}
      {marked && box && outer && (
        <div
          className="time-marked"
          style={{
            left: box.left - outer.left + Math.min(...marked) * box.width,
            width: Math.abs(marked[1] - marked[0]) * box.width,
          }}
        >
          {spanName(within(span, ...marked))}
        </div>
      )}
    </div>
  );
}
