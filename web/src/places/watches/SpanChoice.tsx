import { LASTING, type Span, spanName } from "../../parts/overTime/time";
import { Segments } from "../../parts/Segments";

interface Props {
  span: Span;
  lasting: string;
  last: (over: string) => void;
}

/** How long up to now is shown; or the stretch that was dragged over, and the way back. */
export function SpanChoice({ span, lasting, last }: Props) {
  return (
    <div className="span-choice">
      {!lasting && (
        <span>
          {spanName(span)}{" "}
          <button type="button" className="plain-link" onClick={() => last("a day")}>
            up to now again
          </button>
        </span>
      )}
      <Segments label="How long up to now" value={lasting} options={Object.keys(LASTING)} choose={last} />
    </div>
  );
}
