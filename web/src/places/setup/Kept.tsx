import { useQuery, useQueryClient } from "@tanstack/react-query";
import { api, type Keeping } from "../../api";
import { queries } from "../../api/queries";
import { size, whole } from "../../base/format";
import { useAsk } from "../../parts/Confirm";
import { Notice } from "../../parts/Notice";
import { InPlace } from "../../parts/typing/InPlace";

const LABELS: { [rule in keyof Keeping]: string } = {
  runDays: "How many days runs are kept",
  leastRuns: "How many runs of a case stay at least",
  mostRuns: "How many runs of a case stay at most",
  evidenceDays: "How many days evidence is kept",
  badEvidenceDays: "How many days evidence of what went wrong is kept",
  trialDays: "How many days trials are kept",
  eventDays: "How many days is kept what pages were told",
  watchDays: "How many days runs of watches are kept",
  watchEvidenceDays: "How many days is kept what good runs of watches saw",
};

/** What a project keeps for how long, in a sentence whose numbers can be changed, and how much room there is. */
export function Kept({ project }: { project: string }) {
  const client = useQueryClient();
  const ask = useAsk();
  const kept = useQuery(queries.keeping(project));
  const room = useQuery(queries.storage());
  if (kept.error) return <Notice sentence={kept.error.message} retry={() => void kept.refetch()} />;
  if (!kept.data) return null;
  const rules = kept.data;
  const change = async (rule: keyof Keeping, typed: string): Promise<string | undefined> => {
    const digits = typed.replace(/\s/g, ""); // the page itself writes 10 000
    if (!/^[0-9]{1,9}$/.test(digits)) return "Give a whole number.";
    const number = Number(digits);
    if (number === rules[rule]) return undefined;
    if (number < rules[rule] && rule !== "eventDays") {
      const sure = await ask({
        title: "Keep less than before?",
        text: `${LABELS[rule]}: ${whole(number)} instead of ${whole(rules[rule])}. What is older goes within ten minutes, and cannot be brought back.`,
        yes: "Keep less",
        no: "Leave it",
      });
      if (!sure) return undefined;
    }
    try {
      const seen = { [rule]: rules[rule] };
      client.setQueryData(
        queries.keeping(project).queryKey,
        await api.changeKeeping(project, { [rule]: number, seen }),
      );
      return undefined;
    } catch (problem) {
      void kept.refetch();
      return (problem as Error).message;
    }
  };
  const number = (rule: keyof Keeping, words: (number: number) => string) => (
    <InPlace
      needs="own"
      text={String(rules[rule])}
      label={LABELS[rule]}
      save={(typed) => change(rule, typed)}
    >
      {words(rules[rule])}
    </InPlace>
  );
  const days = (rule: keyof Keeping) => number(rule, (of) => `${whole(of)} ${of === 1 ? "day" : "days"}`);
  return (
    <section className="kept-how-long" aria-label="What is kept">
      <h2>What is kept</h2>
      <p>
        Runs with their verdicts and times: {days("runDays")}; of each case always the newest{" "}
        {number("leastRuns", whole)}, and never more than {number("mostRuns", whole)}. Evidence, which is most
        of it: {days("evidenceDays")}, and {days("badEvidenceDays")} where something failed or was blocked.
        Trials: {days("trialDays")}. What pages were told as it happened: {days("eventDays")}. Runs of
        watches: {days("watchDays")}; what good ones saw: {days("watchEvidenceDays")}, and of one a day as
        long as the run.
      </p>
      {room.data && (
        <p className={room.data.low ? "trouble" : "muted"}>
          On the disk: {size(room.data.evidence)} of evidence, {size(room.data.results)} of cases and results
          {room.data.history > 1_000_000 && `, ${size(room.data.history)} of watches`}
          {room.data.files > 0 && `, ${size(room.data.files)} of large files`}; {size(room.data.free)} free.{" "}
          {room.data.low &&
            `Below ${size(room.data.least)} no evidence is kept; verdicts and times still are.`}
        </p>
      )}
      {room.error && <p className="muted">{room.error.message}</p>}
    </section>
  );
}
