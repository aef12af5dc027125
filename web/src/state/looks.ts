import { useQuery } from "@tanstack/react-query";
import { queries } from "../api/queries";
import { type Json, writeExact } from "../base/exact";
import { useProject } from "./project";
import { useEnvironment } from "./run";

/** What a database holds, asked by a runner: its tables, or the first rows of one. */
export function useLook(database: string, table: string, wanted: boolean) {
  const project = useProject()?.id;
  const [environment] = useEnvironment();
  return useQuery({
    ...queries.look(project, environment?.name ?? "", database, table),
    enabled: wanted && Boolean(project && database),
  });
}

/** A value of a row as a cell shows it. */
export const cellOf = (value: Json | undefined): string =>
  value === null || value === undefined ? "" : typeof value === "string" ? value : writeExact(value);
