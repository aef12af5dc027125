import { useQuery, useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { api, type RunEvent, type SourceDocument, type SourceProfile } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { writeExact } from "../../base/exact";
import { useActs } from "../../state/acts";
import { useEvents } from "../../state/events";
import { useEnvironment } from "../../state/run";
import { addressOf, isAsked, onTop } from "./source";

const ASK_AGAIN_MS = 600;

/** One source: what it is, how its rows look, its changes, each of which can be undone. */
export function useSource(project: string, name: string) {
  const client = useQueryClient();
  const tell = useStale();
  const go = useNavigate();
  const called = useRef(name);
  const [said, setSaid] = useState("");
  const query = useQuery(queries.sources(project));
  const source = query.data?.items.find((item) => item.name === name);
  const [environment] = useEnvironment();
  const ofDatabase = source?.kind === "database" && isAsked(source.document);
  const seen = useQuery(
    queries.lookAtRows(project, environment?.name ?? "", ofDatabase ? source.document : undefined),
  );
  const looked = useQuery(queries.lookAtSource(project, source?.document, source?.changedAt, seen.data?.run));
  const partly = looked.data?.profile?.whole === false && source?.kind === "file";
  const whole = useQuery({
    ...queries.profile(project, source?.document, source?.changedAt),
    enabled: partly && !looked.isPlaceholderData,
    refetchInterval: ({ state }) => (isUnderWay(state.data) && !state.error ? ASK_AGAIN_MS : false),
  });
  const refresh = useCallback(() => tell("sources"), [tell]);
  const { carry, undo, canUndo, isSaving } = useActs(refresh);
  const listener = useCallback(
    (event: RunEvent) => {
      if (event.type === "sources changed" && !isSaving()) void refresh();
    },
    [refresh, isSaving],
  );
  useEvents(project, listener);
  /** A sentence says why it could not be. */
  const told = async (act: Promise<unknown>): Promise<string | undefined> => {
    try {
      await act;
      setSaid("");
      return undefined;
    } catch (problem) {
      setSaid((problem as Error).message);
      return (problem as Error).message;
    }
  };
  /** At once, so that the next change is made on it. */
  const show = async (document: SourceDocument) => {
    const { queryKey } = queries.sources(project);
    await client.cancelQueries({ queryKey });
    client.setQueryData(
      queryKey,
      (page) =>
        page && {
          ...page,
          items: page.items.map((item) => (item.name === name ? { ...item, document } : item)),
        },
    );
  };
  /** Not if it is something else by now than was seen. */
  const put = (document: SourceDocument, seen: SourceDocument) =>
    api.changeSource(project, called.current, { document, seen });
  // What was made of it last; who is quicker than the page changes what is drawn still, and means it on top of that.
  const newest = useRef<SourceDocument>(undefined);
  const drawn = source?.document;
  // biome-ignore lint/correctness/useExhaustiveDependencies: what is drawn is the newest again
  useEffect(() => {
    newest.current = undefined;
  }, [drawn]);
  const change = async (asked: SourceDocument) => {
    const before = newest.current ?? (drawn as SourceDocument);
    const document = drawn && newest.current ? onTop(drawn, asked, newest.current) : asked;
    if (writeExact(before) === writeExact(document)) return undefined;
    newest.current = document;
    const shown = show(document);
    const wrong = await told(
      carry(
        () => shown.then(() => put(document, before)),
        () => () => show(before).then(() => put(before, document)),
      ),
    );
    if (wrong) newest.current = undefined;
    return wrong;
  };
  const rename = (to: string) =>
    told(
      carry(async () => {
        const made = await api.changeSource(project, called.current, { to });
        called.current = made.name;
        await go(addressOf(made.name), { replace: true });
      }),
    );
  const remove = () =>
    told(
      carry(async () => {
        await api.removeSource(project, called.current);
        await go("/data");
      }),
    );
  const bring = (file: File) => {
    setSaid(`Bringing in ${file.name}…`);
    return told(carry(() => api.putFile(project, source?.file as string, file)));
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
    undo: () => told(undo()),
    canUndo,
    said,
  };
}

export type Opened = ReturnType<typeof useSource>;

function isUnderWay(found: SourceProfile | undefined): boolean {
  return !found || found.state === "waiting" || found.state === "looking";
}
