import { useQuery } from "@tanstack/react-query";
import { Navigate } from "react-router";
import { queries } from "../api/queries";
import { useProjects } from "../state/project";

/** Where one comes in: Today, once something has run; before that the cases. */
export function FirstPlace() {
  const { project, none } = useProjects();
  const places = useQuery(queries.trendPlaces(project?.id));
  if (none || places.error) return <Navigate to="/cases" replace />;
  if (!places.data) return null;
  return <Navigate to={places.data.items.length ? "/today" : "/cases"} replace />;
}
