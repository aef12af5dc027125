import type { TextFault } from "../api";
import type { Change, Document } from "./document";
import { type Clash, merged, same, takeMine } from "./merge";

/** A case as the server has it, as far as edits need to know. */
export interface Stored {
  version: number;
  document: Document;
}

/** What the server is asked; all but `readText` fail as `reading` tells. */
export interface Remote {
  read: () => Promise<Stored>;
  save: (version: number, body: { document: Document } | { text: string }) => Promise<Stored>;
  readText: (text: string) => Promise<{ problems: TextFault[]; document: Document }>;
  /** Why a question failed: somebody else saved first, what was sent is refused, nobody is there, or a fault of our own. */
  reading: (problem: unknown) => "conflict" | "refused" | "away" | "fault";
}

/** What is not saved yet, where it outlives the page; undefined takes it away. */
export interface Drafts {
  read: () => Draft | undefined;
  keep: (draft: Draft | undefined) => void;
}

export interface Draft {
  version: number;
  /** The document that the edits were made on. */
  base: Document;
  document: Document;
}

/** How the case stands: `kept` means that edits wait in this browser because the server does not answer. */
export type Saving = "saved" | "saving" | "kept";

/** What a page shows of the edits; another object whenever any of it is another. */
export interface EditState {
  /** The document with every edit, also those on their way. */
  document: Document;
  canUndo: boolean;
  canRedo: boolean;
  saving: Saving;
  /** What a person should know: a change made elsewhere, an edit that could not be kept. */
  notice: string;
  /** Places that were changed here and elsewhere; there stands what the other one wrote. */
  clashes: Clash[];
}

const AGAIN_MS = 2000;
const PATIENCE_MS = 5000;
/** How often a fault of our own is met before an edit is refused for it. */
const MOST_FAULTS = 3;
export const ELSEWHERE = "This case was changed elsewhere, and that is shown here now.";
export const MERGED = "This case was changed elsewhere; your edit was made on top of that.";
export const LEFT_OUT =
  "What was to be undone or put back was changed elsewhere meanwhile, and was left as it is.";

/** One edit, by the whole document before and after it; what it changed is what these two differ in. */
interface Edit {
  before: Document;
  after: Document;
}
/** What is wrong with a text; if nothing, what text that is typed on from there was written on. */
export interface Written {
  faults: TextFault[];
  ground: Document;
}
/** A text that is being saved, and what it was written on. */
interface Writing {
  on: Document;
  saving: Promise<Written>;
}
type Pending = Edit & { done: (problem: string | undefined) => void };

const later = (ms: number) => new Promise<void>((resolve) => setTimeout(resolve, ms));

/** Edits of one case: applied at once, saved one after another on the version that was read. A change made elsewhere is taken in, and the
 * edits are merged on top of it. What is not saved yet stands in `drafts`. `came` is told of each version that the server gave. */
export class EditQueue {
  private base: Stored;
  private current: Document;
  private pending: Pending[] = [];
  private past: Edit[] = [];
  private future: Edit[] = [];
  private saving: Saving = "saved";
  private notice = "";
  private clashes: Clash[] = [];
  /** Changes that go along with the next one. */
  private aside: Change[] = [];
  /** Whether what waits is saved edit by edit. */
  private oneByOne = false;
  private faults = 0;
  /** Ends when nothing waits to be saved. */
  private running: Promise<void> | undefined;
  /** What was sent since the last answer, where none came; the newest first. */
  private unheard: Document[] = [];
  private text: Writing | undefined;
  /** Whether a version was taken that somebody else made, and nobody was told yet. */
  private taken = false;
  private state: EditState | undefined;
  private listeners = new Set<() => void>();

  constructor(
    of: Stored,
    private readonly remote: Remote,
    private readonly drafts: Drafts,
    private readonly came: (stored: Stored) => void = () => undefined,
    private readonly wait: (ms: number) => Promise<void> = later,
  ) {
    this.base = { version: of.version, document: of.document };
    this.current = of.document;
  }

  /** The document with every edit, also those on their way. */
  get document(): Document {
    return this.current;
  }

  // ---- for whoever shows it

  subscribe = (listener: () => void): (() => void) => {
    this.listeners.add(listener);
    return () => this.listeners.delete(listener);
  };

  snapshot = (): EditState => {
    this.state ??= {
      document: this.current,
      canUndo: this.past.length > 0,
      canRedo: this.future.length > 0,
      saving: this.saving,
      notice: this.notice,
      clashes: this.clashes,
    };
    return this.state;
  };

  private changed(): void {
    this.state = undefined;
    for (const listener of this.listeners) listener();
  }

  /** A version that was read elsewhere in the page: shown at once, where no edit waits. Tells no listener, so that it can be called while
   * something is drawn; `tellTaken` does. */
  take = (of: Stored): void => {
    if (this.pending.length || of.version <= this.base.version) return;
    this.base = { version: of.version, document: of.document };
    this.current = of.document;
    this.taken = true;
    this.state = undefined;
  };

  /** Say what `take` took; whether it took anything since. */
  tellTaken = (): boolean => {
    if (!this.taken) return false;
    this.taken = false;
    this.notice = ELSEWHERE;
    this.changed();
    return true;
  };

  /** Put back what a closed page left unsaved, on top of what stands now. */
  resume = (): void => {
    const draft = this.pending.length ? undefined : this.drafts.read();
    if (!draft) return;
    this.drafts.keep(undefined);
    const found = merged(draft.base, draft.document, this.base.document);
    this.clashes = found.clashes;
    if (same(found.document, this.base.document)) {
      this.changed();
      return;
    }
    const edit = { before: this.base.document, after: found.document };
    this.past.push(edit);
    void this.push(edit);
  };

  // ---- edits

  /** Make a change. The promise gives a sentence if the server refused it; then nothing was changed. */
  apply = (change: Change): Promise<string | undefined> => {
    const begun = this.aside.reduce((document, also) => also(document), this.current);
    this.aside = [];
    const edit = { before: this.current, after: change(begun) };
    if (same(edit.before, edit.after)) return Promise.resolve(undefined);
    this.past.push(edit);
    this.future = [];
    return this.push(edit);
  };

  /** Make these together with the change that `act` applies: one edit, one undo. */
  together = <Answer>(changes: Change[], act: () => Promise<Answer>): Promise<Answer> => {
    this.aside = changes;
    return act().finally(() => {
      if (this.aside === changes) this.aside = [];
    });
  };

  /** Save the whole case as a text of the format, comments and all, which was written on `ground`. Gives what is wrong with it; then nothing
   * was saved; and what text that is typed on from there was written on. Fails with a sentence where the server refused it otherwise. */
  saveText = (text: string, ground: Document): Promise<Written> => {
    const earlier = this.text;
    const mine = this.written(text, ground, earlier).finally(() => {
      if (this.text?.saving === mine) this.text = undefined;
    });
    this.text = { on: ground, saving: mine };
    return mine;
  };

  /** `earlier`: a text that is being saved; what is typed on while it is was written on what it becomes. */
  private async written(text: string, ground: Document, earlier: Writing | undefined): Promise<Written> {
    const read = await this.remote.readText(text);
    const done = await earlier?.saving.catch(() => undefined);
    if (earlier && done && !done.faults.length && same(earlier.on, ground)) ground = done.ground;
    if (read.problems.length) return { faults: read.problems, ground };
    while (this.running) await this.running;
    const before = this.current;
    if (!same(ground, before)) return this.mergeText(ground, read.document);
    try {
      const saved = await this.remote.save(this.base.version, { text });
      if (!same(before, saved.document)) {
        this.past.push({ before, after: saved.document });
        this.future = [];
      }
      this.rebase(saved, before); // what was changed while it was being saved stays on top of it
      this.notice = "";
      this.changed();
      return { faults: [], ground: saved.document };
    } catch (problem) {
      if (this.remote.reading(problem) !== "conflict") throw problem;
      this.rebase(await this.remote.read(), this.base.document);
      return this.mergeText(ground, read.document);
    }
  }

  /** What the text changed is merged onto what was changed elsewhere meanwhile, as an edit. */
  private async mergeText(ground: Document, mine: Document): Promise<Written> {
    const found = merged(ground, mine, this.current);
    this.clashes = [...this.clashes, ...found.clashes];
    const edit = { before: this.current, after: found.document };
    this.past.push(edit);
    const refused = await this.push(edit);
    if (refused !== undefined) throw new Error(refused);
    this.notice = MERGED;
    this.changed();
    return { faults: [], ground: mine };
  }

  undo = (): void => this.back(this.past, this.future, true);
  redo = (): void => this.back(this.future, this.past, false);

  private back(from: Edit[], to: Edit[], undoing: boolean): void {
    const edit = from.pop();
    if (!edit) return;
    to.push(edit);
    const [away, towards] = undoing ? [edit.after, edit.before] : [edit.before, edit.after];
    const found = merged(away, towards, this.current);
    void this.push({ before: this.current, after: found.document });
    if (!found.clashes.length) return;
    this.notice = LEFT_OUT;
    this.changed();
  }

  /** Decide a clash. */
  decide = (clash: Clash, mine: boolean): void => {
    this.clashes = this.clashes.filter((item) => item !== clash);
    this.changed();
    if (mine) void this.apply((document) => takeMine(clash, document));
  };

  /** Once every edit is saved, so that what runs is what is on the page; after 5 s at the latest. */
  saved = async (): Promise<void> => {
    let over = false;
    const end = this.wait(PATIENCE_MS).then(() => {
      over = true;
    });
    while (this.running && !over) await Promise.race([this.running, end]);
  };

  // ---- saving

  private push(edit: Edit): Promise<string | undefined> {
    return new Promise((done) => {
      this.current = edit.after;
      this.pending.push({ ...edit, done });
      this.notice = "";
      this.keepDraft();
      this.changed();
      this.running ??= this.drain();
    });
  }

  /** Saves until nothing waits. It is over in the same turn in which the last edit was done, so that one made right then begins it anew. */
  private async drain(): Promise<void> {
    this.oneByOne = false;
    this.faults = 0;
    try {
      while (this.pending.length) await this.saveNext();
    } finally {
      this.running = undefined;
    }
  }

  /** All that waits as one version; edit by edit once the server has refused several together. */
  private async saveNext(): Promise<void> {
    const sent = this.oneByOne ? this.pending.slice(0, 1) : [...this.pending];
    const document = (sent[sent.length - 1] as Pending).after;
    if (this.saving !== "kept") this.saving = "saving";
    this.keepDraft();
    this.changed();
    try {
      const saved = await this.remote.save(this.base.version, { document });
      this.pending = this.pending.slice(sent.length);
      this.unheard = [];
      this.rebase(saved, document);
      for (const item of sent) item.done(undefined);
    } catch (problem) {
      const why = this.remote.reading(problem);
      const newer = why === "conflict" ? await this.remote.read().catch(() => undefined) : undefined;
      if (newer) {
        const heard = this.unheard.find((sent) => this.holds(newer.document, sent));
        this.clashes = [...this.clashes, ...this.rebase(newer, heard || this.base.document)];
        if (!heard) this.notice = MERGED;
        this.unheard = [];
      } else if (why === "refused" || (why === "fault" && ++this.faults >= MOST_FAULTS)) {
        if (sent.length > 1) this.oneByOne = true;
        else this.takeOut(sent[0] as Pending, (problem as Error).message);
      } else {
        if (!this.unheard[0] || !same(this.unheard[0], document)) this.unheard.unshift(document);
        this.saving = "kept";
        this.changed();
        await this.wait(AGAIN_MS);
      }
    }
    if (this.pending.every((item) => same(item.after, this.base.document))) this.settle();
  }

  /** Whether a newer version has all of what was sent and not answered: then it was saved, and only the answer was lost. */
  private holds(newer: Document, sent: Document): boolean {
    const found = merged(this.base.document, sent, newer);
    return !found.clashes.length && same(found.document, newer);
  }

  /** The server's newest version becomes the ground; the edits that it does not have are made on top of `from`. */
  private rebase(saved: Stored, from: Document): Clash[] {
    const onto = saved.document;
    this.base = { version: saved.version, document: onto };
    this.came(saved);
    if (same(from, onto)) return [];
    const moved = (document: Document) => merged(from, document, onto).document;
    this.pending = this.pending.map((item) => ({
      ...item,
      before: moved(item.before),
      after: moved(item.after),
    }));
    const found = merged(from, this.current, onto);
    this.current = found.document;
    return found.clashes;
  }

  /** An edit that the server refused is undone in everything that was made after it; what was made in its very place since stands. */
  private takeOut(refused: Pending, sentence: string): void {
    const moved = (document: Document) => {
      const found = merged(refused.after, document, refused.before);
      return found.clashes.reduce((made, clash) => takeMine(clash, made), found.document);
    };
    this.pending = this.pending
      .slice(1)
      .map((item) => ({ ...item, before: moved(item.before), after: moved(item.after) }));
    this.past = this.past.filter((item) => item.after !== refused.after);
    this.current = moved(this.current);
    this.notice = `Not saved: ${sentence}`;
    this.changed();
    refused.done(sentence);
  }

  /** Nothing waits that the server does not have. */
  private settle(): void {
    const waiting = this.pending;
    this.pending = [];
    this.drafts.keep(undefined);
    this.current = this.base.document;
    this.saving = "saved";
    this.changed();
    for (const item of waiting) item.done(undefined);
  }

  private keepDraft(): void {
    this.drafts.keep({ version: this.base.version, base: this.base.document, document: this.current });
  }
}
