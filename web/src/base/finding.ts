import { useEffect, useSyncExternalStore } from "react";

/** Something that can be found or done. */
export interface Action {
  name: string;
  about: string;
  act: () => void;
}

let ofPage: Action[] = [];
const watchers = new Set<() => void>();

function set(actions: Action[]): void {
  ofPage = actions;
  for (const watcher of watchers) watcher();
}

/** What the open page offers to “Find or do”. */
export function useActions(actions: Action[]): void {
  useEffect(() => {
    set(actions);
    return () => set([]);
  }, [actions]);
}

export function usePageActions(): Action[] {
  return useSyncExternalStore(
    (watcher) => {
      watchers.add(watcher);
      return () => watchers.delete(watcher);
    },
    () => ofPage,
  );
}

const SINGLE = "salt-path.single-keys";

/** Whether keys without Ctrl do something (E, A, K, P … on a place, and ?). */
export const singleKeys = (): boolean => localStorage.getItem(SINGLE) !== "off";
export const setSingleKeys = (on: boolean): void => localStorage.setItem(SINGLE, on ? "on" : "off");
