import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { ApiProblem, api, type Case } from "../../../app/api";
import { readExact, writeExact } from "../../../app/exact";
import type { Change, Document } from "./document";

/** How the case stands: `kept` means that edits wait in this browser because the server does not answer. */
export type Saving = "saved" | "saving" | "kept";

export interface Edits {
  /** The document with every edit, also those on their way. */
  readonly document: Document;
  /** Make a change. The promise gives a sentence if the server refused it; then nothing was changed. */
  apply: (change: Change) => Promise<string | undefined>;
  undo: () => void;
  redo: () => void;
}

export interface Editing {
  /** Stays the same object, so that cards are not drawn again for an edit elsewhere. */
  edits: Edits;
  canUndo: boolean;
  canRedo: boolean;
  saving: Saving;
  /** What a person should know: a change made elsewhere, an edit that could not be kept. */
  notice: string;
}

const AGAIN_MS = 2000;
const MERGED = "This case was changed elsewhere; your edit was made on top of that.";
const LEFT_OUT = "This case was changed elsewhere, so what was to be undone or put back was left as it is.";
const draftName = (id: string) => `salt-path.draft.${id}`;

interface Pending {
  change: Change;
  /** Undo and redo put a whole document back, which would take away what was changed elsewhere meanwhile. */
  whole: boolean;
  done: (problem: string | undefined) => void;
}

/** Edits of one case: applied at once, saved one after another on the version that was read. A change made elsewhere is
 * taken in, and the edits are made again on top of it. What is not saved yet stands in this browser's storage. */
export function useEditing(of: Case): Editing {
  const client = useQueryClient();
  const base = useRef({ version: of.version, document: of.document as Document });
  const current = useRef<Document>(base.current.document);
  const [, drawAgain] = useState(0);
  const pending = useRef<Pending[]>([]);
  const busy = useRef(false);
  const past = useRef<Document[]>([]);
  const future = useRef<Document[]>([]);
  const [saving, setSaving] = useState<Saving>("saved");
  const [notice, setNotice] = useState("");

  const show = useCallback((next: Document) => {
    current.current = next;
    drawAgain((count) => count + 1);
  }, []);

  const take = useCallback(
    (saved: Case) => {
      base.current = { version: saved.version, document: saved.document as Document };
      client.setQueryData(["case", of.id], saved);
      void client.invalidateQueries({ queryKey: ["evidence", of.id] });
    },
    [client, of.id],
  );

  const keepDraft = useCallback(() => {
    const draft = { version: base.current.version, document: current.current };
    localStorage.setItem(draftName(of.id), writeExact(draft));
  }, [of.id]);

  const flush = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    while (pending.current.length) {
      const sent = [...pending.current];
      setSaving((before) => (before === "kept" ? "kept" : "saving"));
      keepDraft();
      try {
        take(await api.saveCase(of.id, base.current.version, writeExact({ document: current.current })));
        pending.current = pending.current.slice(sent.length);
        for (const item of sent) item.done(undefined);
        if (!pending.current.length) {
          localStorage.removeItem(draftName(of.id));
          show(base.current.document);
          setSaving("saved");
        }
      } catch (problem) {
        const status = problem instanceof ApiProblem ? problem.status : 0;
        const newer =
          status === 412 || status === 409 ? await api.case(of.id).catch(() => undefined) : undefined;
        if (newer) {
          take(newer);
          past.current = [];
          future.current = [];
          const left = pending.current.filter((item) => item.whole);
          pending.current = pending.current.filter((item) => !item.whole);
          for (const item of left) item.done(undefined);
          show(pending.current.reduce((doc, item) => item.change(doc), base.current.document));
          setNotice(left.length ? LEFT_OUT : MERGED);
          if (!pending.current.length) {
            localStorage.removeItem(draftName(of.id));
            setSaving("saved");
          }
        } else if (status >= 400 && status < 500 && status !== 412 && status !== 409) {
          pending.current = [];
          past.current.pop();
          show(base.current.document);
          localStorage.removeItem(draftName(of.id));
          setSaving("saved");
          for (const item of sent) item.done((problem as Error).message);
        } else {
          setSaving("kept");
          await new Promise((resolve) => window.setTimeout(resolve, AGAIN_MS));
        }
      }
    }
    busy.current = false;
  }, [of.id, show, take, keepDraft]);

  const push = useCallback(
    (change: Change, whole = false) =>
      new Promise<string | undefined>((done) => {
        show(change(current.current));
        pending.current.push({ change, whole, done });
        setNotice("");
        keepDraft();
        void flush();
      }),
    [flush, show, keepDraft],
  );

  const apply = useCallback(
    (change: Change) => {
      past.current.push(current.current);
      future.current = [];
      return push(change);
    },
    [push],
  );
  const back = useCallback(
    (from: Document[], to: Document[]) => {
      const before = from.pop();
      if (!before) return;
      to.push(current.current);
      void push(() => before, true);
    },
    [push],
  );

  useEffect(() => {
    if (!pending.current.length && of.version !== base.current.version) {
      base.current = { version: of.version, document: of.document as Document };
      show(base.current.document);
    }
  }, [of, show]);

  useEffect(() => {
    const stored = localStorage.getItem(draftName(of.id));
    if (!stored) return;
    const draft = readExact(stored) as { version: number; document: Document };
    if (draft.version === base.current.version) {
      past.current.push(current.current);
      void push(() => draft.document, true);
    } else {
      setNotice("An edit that was not saved before is older than this version, and was left out.");
      localStorage.removeItem(draftName(of.id));
    }
  }, [of.id, push]);

  const edits = useMemo<Edits>(
    () => ({
      get document() {
        return current.current;
      },
      apply,
      undo: () => back(past.current, future.current),
      redo: () => back(future.current, past.current),
    }),
    [apply, back],
  );
  return { edits, canUndo: past.current.length > 0, canRedo: future.current.length > 0, saving, notice };
}
