import type { Verdict } from "../api";
import { whole } from "../base/format";
import { VerdictMark } from "./VerdictMark";

interface Props {
  label: string;
  /** What all of them are called. */
  all: string;
  /** How many there are of each verdict, the worst first. */
  counts: [Verdict, number][];
  /** Those that are shown; empty: all. */
  chosen: ReadonlySet<Verdict>;
  choose: (chosen: ReadonlySet<Verdict>) => void;
}

/** Which of many are shown, by their verdicts. */
export function VerdictChoice({ label, all, counts, chosen, choose }: Props) {
  const turn = (verdict: Verdict) => {
    const next = new Set(chosen);
    if (!next.delete(verdict)) next.add(verdict);
    choose(next);
  };
  return (
    <fieldset className="views" aria-label={label}>
      <button
        type="button"
        className="plain-button"
        aria-pressed={!chosen.size}
        onClick={() => choose(new Set())}
      >
        all {all}
      </button>
      {counts.map(([verdict, number]) => (
        <button
          key={verdict}
          type="button"
          className="plain-button"
          aria-pressed={chosen.has(verdict)}
          onClick={() => turn(verdict)}
        >
          <VerdictMark verdict={verdict} size={12} /> {whole(number)} {verdict}
        </button>
      ))}
    </fieldset>
  );
}
