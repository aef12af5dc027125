import { useQuery } from "@tanstack/react-query";
import {
  createContext,
  type ReactNode,
  useCallback,
  useContext,
  useLayoutEffect,
  useMemo,
  useState,
} from "react";
import type { Project, Right } from "../api";
import { MayContext } from "../api/may";
import { queries } from "../api/queries";

interface Chosen {
  project: Project | undefined;
  all: Project[];
  /** Known: there is no project at all. */
  none: boolean;
  /** Why they could not be read. */
  problem: Error | null;
  choose: (id: string) => void;
}

const Current = createContext<Chosen>({
  project: undefined,
  all: [],
  none: false,
  problem: null,
  choose: () => undefined,
});
const NOTHING: Right[] = [];
const STORED = "salt-path.project";

/** The project that is worked in: the one chosen last in this browser, else the first. */
export function ProjectProvider({ children }: { children: ReactNode }) {
  const projects = useQuery(queries.projects());
  const [id, setId] = useState(() => localStorage.getItem(STORED) ?? "");
  const choose = useCallback((next: string) => {
    localStorage.setItem(STORED, next);
    setId(next);
  }, []);
  const chosen = useMemo(() => {
    const all = projects.data?.items ?? [];
    const project = all.find((item) => item.id === id) ?? all[0];
    return { project, all, none: projects.isSuccess && !all.length, problem: projects.error, choose };
  }, [projects.data, projects.isSuccess, projects.error, id, choose]);
  const may = chosen.project?.may ?? NOTHING;
  useLayoutEffect(() => {
    document.documentElement.dataset.may = may.join(" ");
  }, [may]);
  // What may be done here is known before any page is drawn: none is drawn for somebody with fewer rights first.
  if (projects.isPending) return null;
  return (
    <Current.Provider value={chosen}>
      <MayContext.Provider value={may}>{children}</MayContext.Provider>
    </Current.Provider>
  );
}

export const useProject = (): Project | undefined => useContext(Current).project;
export const useProjects = (): Chosen => useContext(Current);
export const useChosenProject = (): ((id: string) => void) => useContext(Current).choose;
