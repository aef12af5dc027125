import { useQuery } from "@tanstack/react-query";
import type { RunCase } from "../../../api";
import { queries } from "../../../api/queries";
import { capital, whole } from "../../../base/format";

const FEWEST = 3;

/** What the rows that went wrong have in common, where it is clearer than chance. */
export function InCommon({ run, entry }: { run: string; entry: RunCase }) {
  const counts = entry.rows?.counts ?? {};
  const worth =
    ["failed", "blocked"].some((verdict) => (counts[verdict] ?? 0) >= FEWEST) &&
    (counts.passed ?? 0) >= FEWEST;
  const query = useQuery({
    ...queries.inCommon(run, entry.position),
    enabled: worth && entry.state === "finished",
  });
  const found = query.data;
  if (!found?.items.length) return null;
  return (
    <div className="in-common" role="note" aria-label="What they have in common">
      {found.items.map((item) => (
        <p
          key={item.sentence}
          title={`As clear as this by chance: ${item.p <= 0.001 ? "at most once in a thousand" : item.p.toFixed(3)}`}
        >
          {capital(item.sentence)}.
        </p>
      ))}
      {!found.whole && <p className="muted small">{whole(found.looked)} rows were looked at for this.</p>}
    </div>
  );
}
