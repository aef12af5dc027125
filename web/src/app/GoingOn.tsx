import { useQuery } from "@tanstack/react-query";
import { useCallback } from "react";
import { Link, useLocation } from "react-router";
import type { RunEvent } from "../api";
import { queries } from "../api/queries";
import { useStale } from "../api/stale";
import { whole } from "../base/format";
import { VerdictMark } from "../parts/VerdictMark";
import { useEvents } from "../state/events";
import { useProject } from "../state/project";

/** The run that goes on in the project, found again from anywhere; of several the newest, and how many more there are. */
export function GoingOn() {
  const project = useProject();
  const { pathname } = useLocation();
  const tell = useStale();
  const found = useQuery(queries.goingOn(project?.id));
  useEvents(
    project?.id,
    useCallback(
      (event: RunEvent) => {
        if (event.type === "run asked" || event.type === "run finished") void tell("going on");
      },
      [tell],
    ),
  );
  const runs = (found.data?.items ?? []).filter((run) => pathname !== `/runs/${run.id}`);
  const first = runs[0];
  if (!first) return null;
  return (
    <Link className="going-on" to={`/runs/${first.id}`} title={first.title}>
      <VerdictMark verdict="running" size={12} /> <span className="going-on-title">{first.title}</span>{" "}
      <span className="muted">
        {whole(first.done)} of {whole(first.of)}
        {runs.length > 1 && ` · ${runs.length - 1} more`}
      </span>
    </Link>
  );
}
