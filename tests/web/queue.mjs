// The queue of edits, in random sessions of several people: a server that keeps one version after another, refuses, is away, makes mistakes.
import assert from "node:assert/strict";
import { test } from "node:test";
import { built } from "./built.mjs";

const { EditQueue, ELSEWHERE, LEFT_OUT, MERGED } = await built(process.env.WEB, "src/case/editQueue.ts");
const copy = (value) => JSON.parse(JSON.stringify(value));
const soon = () => new Promise((resolve) => setImmediate(resolve));

function chance(seed) {
  let state = seed;
  return (below) => {
    state = (state * 1103515245 + 12345) % 2147483648;
    return Math.floor((state / 2147483648) * below);
  };
}

/** A case on a server. `mood` says before each answer how it will be: well, away, late, or a fault. */
class Server {
  version = 1;
  document = { case: "A", steps: [{ key: "a", request: "One" }, { key: "b", request: "Two" }] };
  saves = 0;
  constructor(mood = () => "well") {
    this.mood = mood;
  }
  stored = () => ({ version: this.version, document: copy(this.document) });
  remote = () => ({
    read: async () => this.answer(() => this.stored()),
    save: (version, body) =>
      this.answer(() => {
        if (version !== this.version) throw new Error("conflict");
        const document = body.document ?? JSON.parse(body.text);
        if (JSON.stringify(document).includes("refuse me")) throw new Error("refused: it says refuse me");
        this.saves += 1;
        this.version += 1;
        this.document = copy(document);
        return this.stored();
      }),
    readText: async (text) => ({ problems: [], document: JSON.parse(text) }),
    reading: (problem) => problem.message.split(":")[0],
  });
  async answer(act) {
    const mood = this.mood();
    if (mood === "late") for (let turn = 0; turn < 5; turn++) await soon();
    await soon();
    if (mood === "away" || mood === "fault") throw new Error(`${mood}: nothing was done`);
    const answer = act();
    if (mood === "unheard") throw new Error("away: it was done, and nobody heard of it");
    return answer;
  }
}

function page(server, stored) {
  let kept = stored;
  const drafts = { read: () => kept, keep: (draft) => { kept = draft && copy(draft); } };
  const queue = new EditQueue(server.stored(), server.remote(), drafts, () => undefined, soon);
  let told = 0;
  queue.subscribe(() => { told += 1; });
  return { queue, kept: () => kept, told: () => told };
}

const put = (name, value) => (document) => ({ ...document, [name]: value });
const idle = async (...pages) => {
  for (let quiet = 0; quiet < 3; ) {
    await soon();
    quiet = pages.every(({ queue }) => queue.snapshot().saving === "saved") ? quiet + 1 : 0;
  }
};

test("an edit is shown at once, saved, undone and redone", async () => {
  const server = new Server();
  const one = page(server);
  const before = one.queue.snapshot();
  const done = one.queue.apply(put("about", "quays"));
  assert.equal(one.queue.document.about, "quays");
  assert.deepEqual([one.queue.snapshot().saving, one.kept().document.about], ["saving", "quays"]);
  assert.notEqual(one.queue.snapshot(), before);
  assert.equal(one.queue.snapshot(), one.queue.snapshot(), "the same while nothing changes");
  assert.equal(await done, undefined);
  await idle(one);
  assert.deepEqual([server.document.about, one.kept(), one.queue.snapshot().canUndo], ["quays", undefined, true]);
  assert.equal(await one.queue.apply((document) => copy(document)), undefined);
  assert.equal(server.saves, 1, "what changes nothing is not saved");
  one.queue.undo();
  await idle(one);
  assert.deepEqual([server.document.about, one.queue.snapshot().canUndo, one.queue.snapshot().canRedo], [undefined, false, true]);
  one.queue.redo();
  await idle(one);
  assert.equal(server.document.about, "quays");
});

test("a refused edit is taken out, and what was made after it stays", async () => {
  const server = new Server();
  const one = page(server);
  const said = [put("about", "quays"), put("note", "refuse me"), put("tag", "fast")].map(one.queue.apply);
  assert.deepEqual(await Promise.all(said), [undefined, "refused: it says refuse me", undefined]);
  await idle(one);
  assert.deepEqual([server.document.about, server.document.note, server.document.tag], ["quays", undefined, "fast"]);
  assert.match(one.queue.snapshot().notice, /^Not saved: .*refuse me/);
  one.queue.undo();
  one.queue.undo();
  await idle(one);
  assert.deepEqual(server.document, new Server().document);
});

test("what is typed again where something was refused is not lost with it", async () => {
  const server = new Server(() => "late");
  const one = page(server);
  const said = [one.queue.apply(put("note", "refuse me"))];
  await soon();
  said.push(one.queue.apply(put("note", "quays")));
  assert.deepEqual(await Promise.all(said), ["refused: it says refuse me", undefined]);
  await idle(one);
  assert.deepEqual([server.document.note, one.queue.document.note], ["quays", "quays"]);
});

test("of a version made elsewhere one is told once, and of a clash", async () => {
  const server = new Server();
  const [one, other] = [page(server), page(server)];
  await one.queue.apply(put("about", "quays"));
  const told = other.told();
  other.queue.take(server.stored());
  assert.deepEqual([other.queue.document.about, other.told()], ["quays", told], "told when it was drawn");
  assert.deepEqual([other.queue.tellTaken(), other.queue.tellTaken(), other.queue.snapshot().notice], [true, false, ELSEWHERE]);
  await one.queue.apply(put("about", "mine"));
  await other.queue.apply(put("about", "theirs"));
  await idle(one, other);
  const [clash] = other.queue.snapshot().clashes;
  assert.deepEqual([other.queue.snapshot().notice, clash.mine, clash.theirs, server.document.about], [MERGED, "theirs", "mine", "mine"]);
  other.queue.decide(clash, true);
  await idle(one, other);
  assert.deepEqual([server.document.about, other.queue.snapshot().clashes], ["theirs", []]);
  one.queue.take(server.stored());
  one.queue.undo();
  await idle(one);
  assert.deepEqual([server.document.about, one.queue.snapshot().notice], ["theirs", LEFT_OUT]);
});

test("an edit that was saved and whose answer was lost does not clash with the next one", async () => {
  const moods = ["unheard"];
  const server = new Server(() => moods.shift() ?? "well");
  const one = page(server);
  const said = [one.queue.apply(put("about", "quay"))];
  await soon();
  said.push(one.queue.apply(put("about", "quays")));
  assert.deepEqual(await Promise.all(said), [undefined, undefined]);
  await idle(one);
  const { clashes, notice } = one.queue.snapshot();
  assert.deepEqual([server.document.about, clashes, notice], ["quays", [], ""]);
});

test("a text of the whole case is one edit, on top of what others did", async () => {
  const server = new Server();
  const [one, other] = [page(server), page(server)];
  const ground = copy(one.queue.document);
  await other.queue.apply(put("about", "quays"));
  const { faults } = await one.queue.saveText(JSON.stringify({ ...ground, tag: "fast" }), ground);
  await idle(one, other);
  assert.deepEqual([faults, server.document.about, server.document.tag], [[], "quays", "fast"]);
  one.queue.undo();
  await idle(one);
  assert.deepEqual([server.document.about, server.document.tag], ["quays", undefined]);
});

test("what is typed on while a text is being saved clashes with nothing of its own", async () => {
  const server = new Server(() => "late");
  const one = page(server);
  const ground = copy(one.queue.document);
  const texts = ["q", "qu", "quays"].map((about) => one.queue.saveText(JSON.stringify({ ...ground, about }), ground));
  const edit = one.queue.apply(put("tag", "fast"));
  await Promise.all([...texts, edit]);
  await idle(one);
  assert.deepEqual([server.document.about, server.document.tag, one.queue.snapshot().clashes], ["quays", "fast", []]);
});

test("what a closed page left is put back on top of what stands", async () => {
  const server = new Server(() => "away");
  const closed = page(server);
  void closed.queue.apply(put("about", "quays"));
  await soon();
  const left = copy(closed.kept());
  server.mood = () => "well"; // else it would ask for ever
  await idle(closed);
  const later = new Server();
  later.document = { ...later.document, tag: "fast" };
  const opened = page(later, left);
  opened.queue.resume();
  opened.queue.resume();
  await idle(opened);
  assert.deepEqual([later.document.about, later.document.tag, later.saves, opened.kept()], ["quays", "fast", 1, undefined]);
});

test("in random sessions nothing is lost, and all see the same in the end", async () => {
  let merges = 0;
  let refused = 0;
  for (let seed = 1; seed <= 500; seed++) {
    const random = chance(seed * 7919);
    const server = new Server(() => ["well", "well", "late", "away", "unheard", "fault"][random(random(3) ? 3 : 6)]);
    const pages = [page(server), page(server), page(server)];
    const wanted = new Map();
    const answers = [];
    const editors = [];
    for (let round = 0; round < 12; round++) {
      const at = random(3);
      const { queue } = pages[at];
      const name = `field${at}-${random(3)}`;
      const kind = random(8);
      if (kind === 0) queue.take(server.stored());
      else if (kind === 1) queue.tellTaken();
      else if (kind === 2) {
        refused += 1;
        const note = `refuse me ${round}`;
        answers.push(queue.apply(put("note", note)).then((said) => assert.match(said ?? "", /refuse me|nothing was done/, `session ${seed}`)));
      } else if (kind === 3) {
        // An editor: what is typed while a text is being saved is typed on in that text.
        const value = `text ${seed} ${round}`;
        const { ground, text } = editors[at] ?? { ground: copy(queue.document), text: copy(queue.document) };
        const typed = { ground, text: { ...text, [`${name}-text`]: value } };
        editors[at] = typed;
        answers.push(queue.saveText(JSON.stringify(typed.text), ground).then(
          () => wanted.set(`${name}-text`, value), () => wanted.delete(`${name}-text`)).finally(() => { if (editors[at] === typed) editors[at] = undefined; }));
        await soon();
      } else {
        const value = `value ${seed} ${round}`;
        answers.push(queue.apply(put(name, value)).then((said) => said === undefined && wanted.set(name, value)));
      }
      for (let turn = random(6); turn > 0; turn--) await soon();
    }
    await Promise.all(answers);
    await idle(...pages);
    for (const { queue } of pages) queue.take(server.stored());
    const shown = pages.map(({ queue }) => queue.document);
    for (const document of shown) assert.deepEqual(document, server.document, `session ${seed}`);
    for (const [name, value] of wanted) assert.equal(server.document[name], value, `session ${seed}: ${name}`);
    assert.ok(!JSON.stringify(server.document).includes("refuse me"), `session ${seed}`);
    for (const { kept } of pages) assert.equal(kept(), undefined, `session ${seed}`);
    merges += pages.filter(({ queue }) => queue.snapshot().notice === MERGED).length;
  }
  assert.ok(merges > 50 && refused > 100, `${merges} ${refused}`);
});
