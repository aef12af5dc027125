import { useCallback, useEffect, useMemo, useState } from "react";
import { useSearchParams } from "react-router";
import { LASTING, type Span, spanIn } from "../../parts/overTime/time";

const AGAIN_MS = 10_000;
const ASK_AGAIN_MS = 5_000;
/** A stretch up to now ends at most so small a part of itself later. */
const GRAINS = 2_000;
const USUAL = "a day";

/** The stretch that the page shows, kept in its address: so long up to now, which goes on, or from one moment to another. */
export function useSpan() {
  const [search, setSearch] = useSearchParams();
  const fixed = spanIn(search);
  const said = search.get("over") ?? "";
  const lasting = Object.hasOwn(LASTING, said) ? said : USUAL;
  const length = LASTING[lasting] ?? 0;
  const isFixed = fixed !== undefined;
  const grain = Math.max(AGAIN_MS, length / GRAINS);
  const [moment, setMoment] = useState(() => Date.now());
  const now = whole(moment, grain);
  useEffect(() => {
    if (isFixed) return undefined;
    const timer = window.setInterval(() => {
      if (document.visibilityState === "visible") setMoment(Date.now());
    }, AGAIN_MS);
    return () => window.clearInterval(timer);
  }, [isFixed]);
  const { begin, end } = fixed ?? { begin: now - length, end: now };
  const span: Span = useMemo(() => ({ begin, end }), [begin, end]);
  const put = useCallback(
    (change: Record<string, string>) =>
      setSearch((before) => {
        const next = new URLSearchParams(before);
        for (const name of ["from", "to", "over"]) next.delete(name);
        for (const [name, value] of Object.entries(change)) next.set(name, value);
        return next;
      }),
    [setSearch],
  );
  return {
    span,
    /** How often what is shown is asked for anew. */
    again: fixed ? (false as const) : ASK_AGAIN_MS,
    /** How long up to now it is, or empty where it is from one moment to another. */
    lasting: fixed ? "" : lasting,
    look: (at: Span) => put({ from: new Date(at.begin).toISOString(), to: new Date(at.end).toISOString() }),
    last: (over: string) => put({ over }),
  };
}

const whole = (ms: number, grain: number) => Math.ceil(ms / grain) * grain;
