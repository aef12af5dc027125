import { useState } from "react";
import { api, type Shapes } from "../../api";
import { stretchOf } from "../../parts/overTime/time";
import { useSay } from "../../parts/Said";
import { pointAt, pointsOf, reach } from "./line";
import type { Over } from "./sentences";

interface Shown {
  watch: { id: string; name: string };
  /** Which of its places, milliseconds since 1970. */
  at: number;
  runs: Shapes["WatchRun"][];
}

/** The runs at a place of a line that was clicked. */
export function useBeside() {
  const say = useSay();
  const [shown, setShown] = useState<Shown>();
  const open = async (
    watch: { id: string; name: string },
    over: Pick<Over, "line">,
    axis: { step: number; first: string },
    place: number,
    span: { begin: number; end: number },
  ) => {
    const points = pointsOf(over.line, axis);
    const point = pointAt(points, span, place);
    const clicked = span.begin + place * (span.end - span.begin);
    if (!point || clicked - point.at > reach(points, axis.step)) {
      say("Nothing ran there.");
      return;
    }
    const here = stretchOf({ begin: point.at, end: point.at + axis.step * 1000 });
    try {
      const bad = point.bad ? (await api.watchRuns(watch.id, here, true, 200)).items : [];
      const runs = bad.length ? bad : (await api.watchRuns(watch.id, here, false, 200)).items;
      setShown({ watch, at: point.at, runs });
    } catch (problem) {
      say((problem as Error).message);
    }
  };
  /** The run that was due at a moment (RFC 3339). */
  const openAt = async (watch: { id: string; name: string }, moment: string) => {
    const at = Date.parse(moment);
    try {
      const { items } = await api.watchRuns(watch.id, stretchOf({ begin: at, end: at + 1000 }), false, 10);
      if (items.length) setShown({ watch, at, runs: items });
      else say("That run is kept no more.");
    } catch (problem) {
      say((problem as Error).message);
    }
  };
  return { shown, open, openAt, show: setShown, close: () => setShown(undefined) };
}
