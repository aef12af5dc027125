import { useQueryClient } from "@tanstack/react-query";
import { useCallback, useEffect, useMemo, useRef, useState } from "react";
import { ApiProblem, api, type Case, type TextFault } from "../../../api";
import { isAway } from "../../../api/retrying";
import { readExact, writeExact } from "../../../base/exact";
import type { Change, Document } from "../../../case/document";
import { type Clash, merged, same, takeMine } from "../../../case/merge";
import { keepLocally } from "../../../parts/typing/drafts";

/** How the case stands: `kept` means that edits wait in this browser because the server does not answer. */
export type Saving = "saved" | "saving" | "kept";

export interface Edits {
  /** The document with every edit, also those on their way. */
  readonly document: Document;
  /** Make a change. The promise gives a sentence if the server refused it; then nothing was changed. */
  apply: (change: Change) => Promise<string | undefined>;
  /** Make these together with the change that `act` applies: one edit, one undo. */
  together: <Answer>(changes: Change[], act: () => Promise<Answer>) => Promise<Answer>;
  /** Save the whole case as a text of the format, comments and all, which was written on `ground`. Gives what is wrong with it; then nothing
   * was saved; and what text that is typed on from there was written on. */
  saveText: (text: string, ground: Document) => Promise<{ faults: TextFault[]; ground: Document }>;
  undo: () => void;
  redo: () => void;
  /** Once every edit is saved, so that what runs is what is on the page; after 5 s at the latest. */
  saved: () => Promise<void>;
}

export interface Editing {
  /** Stays the same object, so that cards are not drawn again for an edit elsewhere. */
  edits: Edits;
  canUndo: boolean;
  canRedo: boolean;
  saving: Saving;
  /** What a person should know: a change made elsewhere, an edit that could not be kept. */
  notice: string;
  /** Places that were changed here and elsewhere; there stands what the other one wrote. */
  clashes: Clash[];
  /** Decide one of them. */
  decide: (clash: Clash, mine: boolean) => void;
}

const AGAIN_MS = 2000;
/** How often a fault of our own is met before an edit is refused for it. */
const MOST_FAULTS = 3;
const isConflict = (status: number) => status === 409 || status === 412;
const isRefused = (status: number) => status >= 400 && status < 500 && !isConflict(status);
const isFault = (problem: unknown, status: number) => !isAway(problem) && !isConflict(status);
const PATIENCE_MS = 5000;
const ELSEWHERE = "This case was changed elsewhere, and that is shown here now.";
const MERGED = "This case was changed elsewhere; your edit was made on top of that.";
const LEFT_OUT = "What was to be undone or put back was changed elsewhere meanwhile, and was left as it is.";
const draftName = (id: string) => `salt-path.draft.${id}`;

/** One edit, by the whole document before and after it; what it changed is what these two differ in. */
interface Edit {
  before: Document;
  after: Document;
}
type Pending = Edit & { done: (problem: string | undefined) => void };

/** Edits of one case: applied at once, saved one after another on the version that was read. A change made elsewhere is
 * taken in, and the edits are merged on top of it. What is not saved yet stands in this browser's storage. */
export function useEditing(of: Case): Editing {
  const client = useQueryClient();
  const base = useRef({ version: of.version, document: of.document as Document });
  const current = useRef<Document>(base.current.document);
  const [, drawAgain] = useState(0);
  const pending = useRef<Pending[]>([]);
  const busy = useRef(false);
  const past = useRef<Edit[]>([]);
  const future = useRef<Edit[]>([]);
  const [saving, setSaving] = useState<Saving>("saved");
  const [notice, setNotice] = useState("");
  const [clashes, setClashes] = useState<Clash[]>([]);

  const show = useCallback((next: Document) => {
    current.current = next;
    drawAgain((count) => count + 1);
  }, []);

  /** The server's newest version becomes the ground; the edits that it does not have are made on top of `from`. */
  const rebase = useCallback(
    (saved: Case, from: Document): Clash[] => {
      const onto = saved.document as Document;
      base.current = { version: saved.version, document: onto };
      client.setQueryData(["case", of.id], saved);
      void client.invalidateQueries({ queryKey: ["evidence", of.id] });
      if (same(from, onto)) return [];
      const moved = (document: Document) => merged(from, document, onto).document;
      pending.current = pending.current.map((item) => ({
        ...item,
        before: moved(item.before),
        after: moved(item.after),
      }));
      const found = merged(from, current.current, onto);
      show(found.document);
      return found.clashes;
    },
    [client, of.id, show],
  );

  const keepDraft = useCallback(() => {
    const draft = {
      version: base.current.version,
      base: base.current.document,
      document: current.current,
    };
    keepLocally(draftName(of.id), writeExact(draft));
  }, [of.id]);

  const settled = useCallback(() => {
    localStorage.removeItem(draftName(of.id));
    show(base.current.document);
    setSaving("saved");
  }, [of.id, show]);

  const flush = useCallback(async () => {
    if (busy.current) return;
    busy.current = true;
    let oneByOne = false;
    let faults = 0;
    while (pending.current.length) {
      const sent = oneByOne ? pending.current.slice(0, 1) : [...pending.current];
      const document = (sent[sent.length - 1] as Pending).after;
      setSaving((before) => (before === "kept" ? "kept" : "saving"));
      keepDraft();
      try {
        const saved = await api.saveCase(of.id, base.current.version, writeExact({ document }));
        pending.current = pending.current.slice(sent.length);
        rebase(saved, document);
        for (const item of sent) item.done(undefined);
      } catch (problem) {
        const status = problem instanceof ApiProblem ? problem.status : 0;
        const newer = isConflict(status) ? await api.case(of.id).catch(() => undefined) : undefined;
        if (newer) {
          const found = rebase(newer, base.current.document);
          setClashes((before) => [...before, ...found]);
          setNotice(MERGED);
        } else if (isRefused(status) || (isFault(problem, status) && ++faults >= MOST_FAULTS)) {
          if (sent.length > 1) {
            oneByOne = true;
            continue;
          }
          takeOut(sent[0] as Pending, (problem as Error).message);
        } else {
          setSaving("kept");
          await new Promise((resolve) => window.setTimeout(resolve, AGAIN_MS));
        }
      }
      if (pending.current.every((item) => same(item.after, base.current.document))) {
        for (const item of pending.current) item.done(undefined);
        pending.current = [];
        settled();
      }
    }
    busy.current = false;

    /** An edit that the server refused is undone in everything that was made after it. */
    function takeOut(refused: Pending, sentence: string) {
      const moved = (document: Document) => merged(refused.after, document, refused.before).document;
      pending.current = pending.current
        .slice(1)
        .map((item) => ({ ...item, before: moved(item.before), after: moved(item.after) }));
      past.current = past.current.filter((item) => item.after !== refused.after);
      show(moved(current.current));
      if (!pending.current.length) settled();
      setNotice(`Not saved: ${sentence}`);
      refused.done(sentence);
    }
  }, [of.id, show, rebase, keepDraft, settled]);

  const push = useCallback(
    (edit: Edit) =>
      new Promise<string | undefined>((done) => {
        show(edit.after);
        pending.current.push({ ...edit, done });
        setNotice("");
        keepDraft();
        void flush();
      }),
    [flush, show, keepDraft],
  );

  const saveText = useCallback(
    async (text: string, ground: Document) => {
      const read = await api.readText(text);
      if (read.problems.length) return { faults: read.problems, ground };
      while (busy.current) await new Promise((resolve) => window.setTimeout(resolve, 50));
      const before = current.current;
      /** What the text changed is merged onto what was changed elsewhere meanwhile, as an edit. */
      const mergeOnto = async () => {
        const mine = read.document as Document;
        const found = merged(ground, mine, current.current);
        setClashes((clashes) => [...clashes, ...found.clashes]);
        const edit = { before: current.current, after: found.document };
        past.current.push(edit);
        await push(edit);
        setNotice(MERGED);
        return { faults: [], ground: mine };
      };
      if (!same(ground, before)) return mergeOnto();
      try {
        const saved = await api.saveCase(of.id, base.current.version, writeExact({ text }));
        base.current = { version: saved.version, document: saved.document as Document };
        client.setQueryData(["case", of.id], saved);
        void client.invalidateQueries({ queryKey: ["evidence", of.id] });
        if (!same(before, base.current.document)) {
          past.current.push({ before, after: base.current.document });
          future.current = [];
        }
        setNotice("");
        show(base.current.document);
        return { faults: [], ground: base.current.document };
      } catch (problem) {
        if (!(problem instanceof ApiProblem)) throw problem;
        if (problem.status !== 412 && problem.status !== 409) throw problem;
        rebase(await api.case(of.id), base.current.document);
        return mergeOnto();
      }
    },
    [client, of.id, show, rebase, push],
  );

  const aside = useRef<Change[]>([]);
  const apply = useCallback(
    (change: Change) => {
      const begun = aside.current.reduce((document, also) => also(document), current.current);
      aside.current = [];
      const edit = { before: current.current, after: change(begun) };
      if (same(edit.before, edit.after)) return Promise.resolve(undefined);
      past.current.push(edit);
      future.current = [];
      return push(edit);
    },
    [push],
  );
  const back = useCallback(
    (from: Edit[], to: Edit[], undoing: boolean) => {
      const edit = from.pop();
      if (!edit) return;
      to.push(edit);
      const [away, towards] = undoing ? [edit.after, edit.before] : [edit.before, edit.after];
      const found = merged(away, towards, current.current);
      void push({ before: current.current, after: found.document });
      if (found.clashes.length) setNotice(LEFT_OUT);
    },
    [push],
  );

  // Before anything is drawn: the cards read the document, and are drawn once for what they are given.
  const taken = useRef(of.version);
  if (!pending.current.length && of.version > base.current.version) {
    base.current = { version: of.version, document: of.document as Document };
    current.current = base.current.document;
    taken.current = of.version;
  }
  const told = useRef(of.version);
  useEffect(() => {
    if (taken.current !== of.version || told.current === of.version) return;
    told.current = of.version;
    setNotice(ELSEWHERE);
    void client.invalidateQueries({ queryKey: ["evidence", of.id] });
  }, [of, client]);

  useEffect(() => {
    const stored = localStorage.getItem(draftName(of.id));
    if (!stored) return;
    const draft = readExact(stored) as { base: Document; document: Document };
    localStorage.removeItem(draftName(of.id));
    const found = merged(draft.base, draft.document, base.current.document);
    setClashes(found.clashes);
    if (same(found.document, base.current.document)) return;
    const edit = { before: base.current.document, after: found.document };
    past.current.push(edit);
    void push(edit);
  }, [of.id, push]);

  const edits = useMemo<Edits>(
    () => ({
      get document() {
        return current.current;
      },
      apply,
      together: (changes, act) => {
        aside.current = changes;
        return act().finally(() => {
          if (aside.current === changes) aside.current = [];
        });
      },
      saveText,
      undo: () => back(past.current, future.current, true),
      redo: () => back(future.current, past.current, false),
      saved: async () => {
        const end = Date.now() + PATIENCE_MS;
        while (busy.current && Date.now() < end)
          await new Promise((resolve) => window.setTimeout(resolve, 20));
      },
    }),
    [apply, back, saveText],
  );
  const decide = useCallback(
    (clash: Clash, mine: boolean) => {
      setClashes((before) => before.filter((item) => item !== clash));
      if (mine) void apply((document) => takeMine(clash, document));
    },
    [apply],
  );
  return {
    edits,
    canUndo: past.current.length > 0,
    canRedo: future.current.length > 0,
    saving,
    notice,
    clashes,
    decide,
  };
}
