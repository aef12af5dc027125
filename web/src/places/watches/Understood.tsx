import { useQuery } from "@tanstack/react-query";
import { useDeferredValue } from "react";
import { queries } from "../../api/queries";
import { listed } from "../../base/format";
import { momentNames } from "../../parts/overTime/time";

/** What a sentence would have a watch do, and when it would be due next; or what of it is not understood. */
export function Understood({ project, sentence }: { project: string; sentence: string }) {
  const read = useQuery(queries.watchSentence(project, useDeferredValue(sentence)));
  if (!sentence.trim() || !read.data) return null;
  const { problem, when, next } = read.data;
  if (problem) return <p className="trouble small">{problem}.</p>;
  return (
    <p className="muted small">
      Understood: {when}. {next.length > 0 && `It would be due ${listed(momentNames(next))}.`}
    </p>
  );
}
