import { exactly } from "../../base/format";
import { placeOf, type Span } from "../../parts/overTime/time";
import { briefly } from "./sentences";
import type { Trouble } from "./Troubles";

interface Props {
  troubles: Trouble[];
  span: Span;
}

/** Where answers became slower, over the line of a watch. */
export function Marks({ troubles, span }: Props) {
  return troubles.map((one) => {
    const place = placeOf(span, Date.parse(one.began));
    if (one.kind !== "slower" || place < 0) return null;
    return (
      <span
        key={one.id}
        className={place > 0.8 ? "line-mark before" : "line-mark"}
        style={{ left: `${(place * 100).toFixed(2)}%` }}
        title={`${exactly(one.began)}: ${one.cause}`}
      >
        {briefly(one)}
      </span>
    );
  });
}
