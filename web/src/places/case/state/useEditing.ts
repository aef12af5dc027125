import { type QueryClient, useQueryClient } from "@tanstack/react-query";
import { useEffect, useMemo, useReducer, useState } from "react";
import { ApiProblem, api, type Case } from "../../../api";
import { refused, useMay } from "../../../api/may";
import { queries } from "../../../api/queries";
import { isAway } from "../../../api/retrying";
import { type Tell, useStale } from "../../../api/stale";
import { readExact, writeExact } from "../../../base/exact";
import type { Document } from "../../../case/document";
import { type Draft, type Drafts, EditQueue, type EditState, type Remote } from "../../../case/editQueue";
import { keepLocally } from "../../../parts/typing/drafts";

/** What changes the case; stays the same object, so that cards are not drawn again for an edit elsewhere. */
export type Edits = Pick<
  EditQueue,
  "document" | "apply" | "together" | "saveText" | "undo" | "redo" | "saved"
>;

export interface Editing extends Omit<EditState, "document"> {
  edits: Edits;
  decide: EditQueue["decide"];
}

/** The edits of the case that is open, saved as they are made. */
export function useEditing(of: Case): Editing {
  const client = useQueryClient();
  const tell = useStale();
  const [queue] = useState(() => queueOf(of, client, tell));
  queue.take({ version: of.version, document: of.document as Document }); // before the cards are drawn
  // No useSyncExternalStore: it draws a long case within the task in which an answer came, which then takes longer than 50 ms.
  const [, drawAgain] = useReducer((count: number) => count + 1, 0);
  const state = queue.snapshot();
  useEffect(() => {
    const leave = queue.subscribe(drawAgain);
    queue.resume();
    return leave;
  }, [queue]);
  useEffect(() => {
    if (queue.tellTaken()) void tell("evidence", of.id);
  });
  const may = useMay("edit");
  const edits = useMemo(() => (may ? queue : asRead(queue)), [queue, may]);
  return { ...state, edits, decide: queue.decide };
}

/** The case for those who may only look at it. */
function asRead(queue: EditQueue): Edits {
  const no = async () => refused();
  const none = <Answer>(_changes: unknown, act: () => Promise<Answer>) => act();
  const nothing = () => undefined;
  return {
    get document() {
      return queue.document;
    },
    get saved() {
      return queue.saved;
    },
    apply: no,
    together: none,
    saveText: async (_text, ground) => ({ faults: [{ line: 1, sentence: refused() }], ground }),
    undo: nothing,
    redo: nothing,
  };
}

function queueOf(of: Case, client: QueryClient, tell: Tell): EditQueue {
  const begun = { version: of.version, document: of.document as Document };
  let newest = of;
  const got = (read: Case) => {
    newest = read;
    return { version: read.version, document: read.document as Document };
  };
  const remote: Remote = {
    read: async () => got(await api.case(of.id)),
    save: async (version, body) => got(await api.saveCase(of.id, version, writeExact(body))),
    readText: async (text) => {
      const read = await api.readText(text);
      return { problems: read.problems, document: read.document as Document };
    },
    reading,
  };
  return new EditQueue(begun, remote, draftsOf(of.id), () => {
    client.setQueryData(queries.case(of.id).queryKey, newest);
    void tell("evidence", of.id);
  });
}

function reading(problem: unknown): ReturnType<Remote["reading"]> {
  const status = problem instanceof ApiProblem ? problem.status : 0;
  if (status === 409 || status === 412) return "conflict";
  if (status >= 400 && status < 500) return "refused";
  return isAway(problem) ? "away" : "fault";
}

/** Unsaved edits of a case, in this browser's storage. */
function draftsOf(id: string): Drafts {
  const name = `salt-path.draft.${id}`;
  return {
    read: () => {
      const stored = localStorage.getItem(name);
      return stored ? (readExact(stored) as unknown as Draft) : undefined;
    },
    keep: (draft) => {
      if (draft) keepLocally(name, writeExact(draft));
      else localStorage.removeItem(name);
    },
  };
}
