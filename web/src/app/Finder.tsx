import { useQuery } from "@tanstack/react-query";
import { type KeyboardEvent, useEffect, useMemo, useRef, useState } from "react";
import { useNavigate } from "react-router";
import { queries } from "../api/queries";
import { type Action, singleKeys, usePageActions } from "../base/finding";
import { useProject } from "../state/project";
import { useTheme } from "../state/theme";
import { SingleKeys } from "./SingleKeys";

const MOST = 12;
const KEYS: [string, string][] = [
  ["Ctrl K", "find a case, a run or a place, or do something"],
  ["Ctrl Enter", "run this case"],
  ["Ctrl Z, Ctrl Shift Z", "undo and redo an edit"],
  ["↑ ↓", "on a step: to the step before or after"],
  ["Enter", "on a step: open it; on a part of a sentence: change it"],
  ["Alt ↑ ↓", "on a step: move it"],
  ["Alt ↑ ↓, Alt → ←", "on a suite: move it; put it into the one above, take it out of its folder"],
  ["F2, Delete", "on a step: rename it, delete it"],
  ["Ctrl click, Shift click, Ctrl Space", "on a step: choose several"],
  ["Ctrl C", "on a step: copy it; paste it where a step is added, in any case"],
  [
    "E, A, T, O",
    "on a place of the answer: expect it as it is, any of its kind, that it is there, one of what was seen",
  ],
  ["S", "on a place of the answer: expect what was sent under its name; on a branch everything that was"],
  ["B", "on a branch of the answer: expect everything below it"],
  ["K, P", "on a place of the answer: keep it, put it into a later step"],
  ["Space, Ctrl click", "on a place of the answer: choose several"],
  ["[=", "while typing: the values that can be inserted"],
  ["Ctrl Enter, Escape", "in a field of several lines: keep it; in any field: leave it as it was"],
];

/** Ctrl K finds anything and does anything; ? lists what the keys do. */
export function Finder() {
  const dialog = useRef<HTMLDialogElement>(null);
  const [open, setOpen] = useState<"" | "find" | "keys">("");
  const show = (what: "find" | "keys") => {
    setOpen(what);
    if (!dialog.current?.open) dialog.current?.showModal();
  };
  // biome-ignore lint/correctness/useExhaustiveDependencies: the keys stay the same
  useEffect(() => {
    const keys = (event: globalThis.KeyboardEvent) => {
      const typing =
        event.target instanceof HTMLElement && event.target.closest("input, textarea, .cm-editor");
      if (event.ctrlKey && event.key.toLowerCase() === "k") {
        event.preventDefault();
        show("find");
      } else if (event.key === "?" && singleKeys() && !typing && !event.ctrlKey && !event.altKey)
        show("keys");
    };
    // Before a field keeps the key for itself.
    document.addEventListener("keydown", keys, true);
    return () => document.removeEventListener("keydown", keys, true);
  }, []);
  const close = () => dialog.current?.close();
  return (
    <>
      <button type="button" className="finder-button" onClick={() => show("find")}>
        Find or do… <kbd>Ctrl K</kbd>
      </button>
      <dialog
        ref={dialog}
        className="confirm finder"
        aria-label={open === "keys" ? "What the keys do" : "Find or do"}
        onClose={() => setOpen("")}
      >
        {open === "find" && <Finding close={close} keys={() => show("keys")} />}
        {open === "keys" && (
          <>
            <h2>What the keys do</h2>
            <dl>
              {KEYS.map(([key, does]) => (
                <div key={key + does}>
                  <dt>
                    <kbd>{key}</kbd>
                  </dt>
                  <dd>{does}</dd>
                </div>
              ))}
            </dl>
            <SingleKeys />
            <div className="actions">
              <button type="button" className="plain-button" onClick={close}>
                Close
              </button>
            </div>
          </>
        )}
      </dialog>
    </>
  );
}

function Finding({ close, keys }: { close: () => void; keys: () => void }) {
  const project = useProject();
  const navigate = useNavigate();
  const { theme, toggle } = useTheme();
  const [typed, setTyped] = useState("");
  const [chosen, setChosen] = useState(0);
  const id = project?.id ?? "";
  const suites = useQuery(queries.suites(id));
  const runs = useQuery(queries.newestRuns(id));
  const ofPage = usePageActions();
  const items = useMemo<Action[]>(() => {
    const to = (path: string) => () => void navigate(path);
    const cases = (suites.data?.items ?? []).flatMap((suite) =>
      suite.cases.map((line) => ({
        name: line.name,
        about: `case of ${suite.name}${line.register && ` · ${line.register}`}${line.tags.length ? ` · ${line.tags.join(", ")}` : ""}${line.last ? ` · ${line.last.verdict}` : ""}`,
        act: to(`/cases/${line.id}`),
      })),
    );
    const ended = (runs.data?.items ?? []).map((run) => ({
      name: `Run ${run.number}: ${run.title}`,
      about: run.verdict ?? run.state,
      act: to(`/runs/${run.id}`),
    }));
    return [
      ...ofPage,
      ...cases,
      { name: "Cases", about: "go there", act: to("/cases") },
      { name: "Single requests", about: "go there", act: to("/cases/single") },
      { name: "Runs", about: "go there", act: to("/runs") },
      { name: "Watches", about: "go there", act: to("/watches") },
      { name: "Today", about: "go there", act: to("/today") },
      { name: "Trends", about: "go there", act: to("/trends") },
      { name: `Use the ${theme === "light" ? "dark" : "light"} theme`, about: "do it", act: toggle },
      { name: "What the keys do", about: "?", act: keys },
      ...ended,
    ];
  }, [ofPage, suites.data, runs.data, navigate, theme, toggle, keys]);
  const words = typed.toLowerCase().split(/\s+/).filter(Boolean);
  const found = items
    .filter((item) => words.every((word) => `${item.name} ${item.about}`.toLowerCase().includes(word)))
    .slice(0, MOST);
  const take = (item: Action | undefined) => {
    if (!item) return;
    if (item.act !== keys) close();
    item.act();
  };
  const onKey = (event: KeyboardEvent) => {
    event.stopPropagation();
    const by = { ArrowDown: 1, ArrowUp: -1 }[event.key];
    if (by && found.length) {
      event.preventDefault();
      const next = (chosen + by + found.length) % found.length;
      setChosen(next);
      document.getElementById(`found-${next}`)?.scrollIntoView({ block: "nearest" });
    }
    if (event.key === "Enter") take(found[chosen]);
  };
  return (
    <>
      <input
        value={typed}
        aria-label="Find or do"
        role="combobox"
        aria-expanded={found.length > 0}
        aria-controls="found"
        aria-activedescendant={found.length ? `found-${chosen}` : undefined}
        placeholder="A case, a step, a value, a run, an action…"
        // biome-ignore lint/a11y/noAutofocus: the dialog was just asked for
        autoFocus
        onChange={(event) => {
          setTyped(event.target.value);
          setChosen(0);
        }}
        onKeyDown={onKey}
      />
      <div role="listbox" id="found" aria-label="What was found" className="found">
        {found.map((item, index) => (
          // biome-ignore lint/a11y/useKeyWithClickEvents: the field takes the keys (aria-activedescendant)
          // biome-ignore lint/a11y/useFocusableInteractive: as above
          <div
            key={`${item.name} ${item.about}`}
            id={`found-${index}`}
            role="option"
            aria-selected={index === chosen}
            className={index === chosen ? "chosen" : undefined}
            onClick={() => take(item)}
            onPointerMove={() => setChosen(index)}
          >
            {item.name} <span className="muted small">{item.about}</span>
          </div>
        ))}
        {!found.length && <p className="muted">Nothing here has these words.</p>}
      </div>
    </>
  );
}
