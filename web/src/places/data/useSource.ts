import { keepPreviousData, useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useRef, useState } from "react";
import { useNavigate } from "react-router";
import {
  api,
  type DataSource,
  type Page,
  type RunEvent,
  type SourceDocument,
  type SourceProfile,
} from "../../app/api";
import { useEvents } from "../../app/events";
import { writeExact } from "../../app/exact";
import { useEnvironment } from "../../app/run";
import { addressOf, isAsked } from "./source";

const ASK_AGAIN_MS = 600;
const FRESH_MS = 60_000;

/** One source: what it is, how its rows look, its changes, each of which can be undone. */
export function useSource(project: string, name: string) {
  const client = useQueryClient();
  const go = useNavigate();
  const past = useRef<(() => Promise<unknown>)[]>([]);
  const last = useRef<Promise<unknown>>(Promise.resolve());
  const called = useRef(name);
  const [undoable, setUndoable] = useState(0);
  const [said, setSaid] = useState("");
  const query = useQuery({ queryKey: ["sources", project], queryFn: () => api.sources(project) });
  const source = query.data?.items.find((item) => item.name === name);
  const text = source ? writeExact(source.document) : "";
  const [environment] = useEnvironment();
  const ofDatabase = source?.kind === "database" && isAsked(source.document);
  const seen = useQuery({
    queryKey: ["look at rows", project, environment?.name, text],
    queryFn: () => api.lookAtRows(project, environment?.name ?? "", source?.document as SourceDocument),
    enabled: ofDatabase,
    staleTime: FRESH_MS,
    retry: false,
  });
  const looked = useQuery({
    queryKey: ["looked", project, text, source?.changedAt, seen.data?.run],
    queryFn: () => api.lookAtSource(project, source?.document as SourceDocument),
    enabled: Boolean(source),
    placeholderData: keepPreviousData,
  });
  const partly = looked.data?.profile?.whole === false && source?.kind === "file";
  const whole = useQuery({
    queryKey: ["profile", project, text, source?.changedAt],
    queryFn: () => api.profileSource(project, source?.document as SourceDocument),
    enabled: partly && !looked.isPlaceholderData,
    refetchInterval: (running) => (isUnderWay(running.state.data) ? ASK_AGAIN_MS : false),
  });
  const refresh = useCallback(async () => {
    for (const key of ["sources", "file-versions", "case"])
      await client.invalidateQueries({ queryKey: [key] });
  }, [client]);
  const listener = useCallback(
    (event: RunEvent) => {
      if (event.type === "sources changed") void refresh();
    },
    [refresh],
  );
  useEvents(project, listener);
  const carry = async (
    act: () => Promise<unknown>,
    back?: () => Promise<unknown>,
  ): Promise<string | undefined> => {
    try {
      await act();
      if (back) past.current.push(back);
      setUndoable(past.current.length);
      setSaid("");
      await refresh();
      return undefined;
    } catch (problem) {
      setSaid((problem as Error).message);
      await refresh();
      return (problem as Error).message;
    }
  };
  /** One after the other: each acts on what the one before has made of it, its name too. */
  const inTurn = <Made>(act: () => Promise<Made>): Promise<Made> => {
    const mine = last.current.catch(() => undefined).then(act);
    last.current = mine;
    return mine;
  };
  /** Shown at once, so that the next change is made on it; saved one after the other. */
  const put = async (document: SourceDocument) => {
    await client.cancelQueries({ queryKey: ["sources", project] });
    client.setQueryData<Page<DataSource>>(
      ["sources", project],
      (page) =>
        page && {
          ...page,
          items: page.items.map((item) => (item.name === name ? { ...item, document } : item)),
        },
    );
    await inTurn(() => api.changeSource(project, called.current, { document }));
  };
  const change = (document: SourceDocument) => {
    const before = source?.document as SourceDocument;
    if (writeExact(before) === writeExact(document)) return Promise.resolve(undefined);
    return carry(
      () => put(document),
      () => put(before),
    );
  };
  const rename = (to: string) =>
    carry(async () => {
      const made = await inTurn(() => api.changeSource(project, called.current, { to }));
      called.current = made.name;
      await go(addressOf(made.name), { replace: true });
    });
  const remove = () =>
    carry(async () => {
      await inTurn(() => api.removeSource(project, called.current));
      await go("/data");
    });
  const bring = (file: File) =>
    carry(async () => {
      setSaid(`Bringing in ${file.name}…`);
      await api.putFile(project, source?.file as string, file);
    });
  const undo = async () => {
    const back = past.current.pop();
    if (back) await carry(back);
  };
  const profile = whole.data?.state === "done" ? whole.data : (looked.data?.profile ?? undefined);
  return {
    query,
    source,
    looked: looked.data,
    problem: seen.error?.message ?? looked.error?.message ?? looked.data?.problem ?? "",
    /** Whether a runner is looking into the database. */
    looking: seen.isFetching,
    lookAgain: ofDatabase ? () => void seen.refetch() : undefined,
    profile,
    /** How far all rows have been looked through; undefined: they are. */
    underWay: partly && whole.data?.state !== "done" ? (whole.data?.state ?? "waiting") : undefined,
    rowsSoFar: whole.data?.rows ?? 0,
    change,
    rename,
    remove,
    bring,
    undo,
    canUndo: undoable > 0,
    said,
  };
}

export type Opened = ReturnType<typeof useSource>;

function isUnderWay(found: SourceProfile | undefined): boolean {
  return !found || found.state === "waiting" || found.state === "looking";
}
