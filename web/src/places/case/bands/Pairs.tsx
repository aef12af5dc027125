import type { Pair, StepEvidence } from "../../../api";
import { linesOf } from "../../../case/pairs";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import type { Insertable } from "../../../parts/typing/inserting";

interface PairsProps {
  insertable: Insertable;
  pairs: Pair[];
  used: StepEvidence["used"];
  join: string;
  label: string;
  add: string;
  save: (text: string) => Promise<string | undefined>;
}

/** Names and values of a query or of headers, edited as lines. */
export function Pairs({ insertable, pairs, used, join, label, add, save }: PairsProps) {
  return (
    <InPlace
      insertable={insertable}
      text={linesOf(pairs, join)}
      label={label}
      save={save}
      lines
      hint="A line each. Ctrl Enter keeps."
    >
      {pairs.length ? (
        <span className="pairs mono">
          {pairs.map((pair, index) => (
            // biome-ignore lint/suspicious/noArrayIndexKey: names may repeat, and the order is fixed
            <span key={index}>
              <span className="muted">
                {pair.name} {join}
              </span>{" "}
              <Pieces pieces={pair.value} used={used} />
            </span>
          ))}
        </span>
      ) : (
        <span className="muted add">{add}</span>
      )}
    </InPlace>
  );
}
