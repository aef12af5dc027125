import { useQuery } from "@tanstack/react-query";
import { api } from "../../../api";
import { queries } from "../../../api/queries";
import { useStale } from "../../../api/stale";
import { exactly, size } from "../../../base/format";
import { InPlace } from "../../../parts/typing/InPlace";

const MB = 1_000_000;

/** How much room what became of watches may take, and what had to go for it. */
export function RoomForWatches() {
  const tell = useStale();
  const room = useQuery(queries.storage());
  if (!room.data) return null;
  const { history, historyMost, historyDropped } = room.data;
  const save = async (typed: string): Promise<string | undefined> => {
    const text = typed.trim();
    const found = /^([0-9]+(?:[.][0-9]+)?) ?(MB|GB)$/i.exec(text);
    if (text && !found) return "Give a size such as 20 GB, or nothing.";
    const factor = found?.[2]?.toUpperCase() === "GB" ? 1_000 : 1;
    const megabytes = found ? Math.round(Number(found[1]) * factor) : null;
    try {
      await api.sayHistoryMost(megabytes);
      return undefined;
    } catch (problem) {
      return (problem as Error).message;
    } finally {
      await tell("storage");
    }
  };
  return (
    <section aria-label="Room for watches">
      <h2>Room for watches</h2>
      <p>
        What became of watches takes {size(history)}, and may take{" "}
        <InPlace
          text={historyMost === null ? "" : typedSize(historyMost)}
          label="How much room watches may take"
          hint="Such as 20 GB; empty: as much as there is. Where it is more, what good runs saw goes first, then what others saw, then runs, the oldest first. What was summed up stays."
          needs="self"
          save={save}
        >
          {historyMost === null ? "as much as there is" : `at most ${size(historyMost)}`}
        </InPlace>
        .
      </p>
      {historyDropped.map((one) => (
        <p key={one.what} className="trouble" title={`last taken away ${exactly(one.at)}`}>
          {GONE[one.what]} before {exactly(one.before)} went, since there was too much of it.
        </p>
      ))}
    </section>
  );
}

const GONE = {
  good: "What good runs saw",
  bad: "What bad runs saw",
  whole: "What the first bad and one good run a day saw",
  runs: "Runs by themselves",
};

const typedSize = (bytes: number) => (bytes % (1000 * MB) ? `${bytes / MB} MB` : `${bytes / MB / 1000} GB`);
