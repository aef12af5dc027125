import { useQuery } from "@tanstack/react-query";
import { createContext, type ReactNode, useContext } from "react";
import { api, type Project } from "./api";

const Current = createContext<Project | undefined>(undefined);

/** The project that is worked in: the first one, until there are several. */
export function ProjectProvider({ children }: { children: ReactNode }) {
  const projects = useQuery({ queryKey: ["projects"], queryFn: api.projects, retry: true, retryDelay: 1000 });
  return <Current.Provider value={projects.data?.items[0]}>{children}</Current.Provider>;
}

/** Whether it is known that there is no project at all. */
export function useNoProject(): boolean {
  const projects = useQuery({ queryKey: ["projects"], queryFn: api.projects });
  return projects.isSuccess && projects.data.items.length === 0;
}

export const useProject = (): Project | undefined => useContext(Current);
