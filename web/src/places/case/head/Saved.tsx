import { type ReactNode, useState } from "react";
import type { Case } from "../../../api";
import { History } from "../edit/History";
import type { Editing } from "../state/useEditing";

/** Whether everything is kept, and what came from elsewhere. */
export function SavedSaid({ state }: { state: Editing }) {
  const said = {
    saved: "",
    saving: "Saving…",
    kept: "Salt Path does not answer. Your edits wait in this browser and are saved when it is back.",
  }[state.saving];
  return (
    <span role="status" className={state.saving === "kept" ? "saved-said trouble" : "saved-said muted"}>
      {said || state.notice}
    </span>
  );
}

interface Props {
  of: Case;
  state: Editing;
  /** Whether it is said here that everything is kept. */
  said?: boolean;
  /** What else can be done with it. */
  children?: ReactNode;
}

/** Undo, redo, what was before, and whether everything is kept. */
export function Saved({ of, state, said = true, children }: Props) {
  const [open, setOpen] = useState(false);
  return (
    <>
      <div className="saved">
        {said && <SavedSaid state={state} />}
        <button
          data-needs="edit"
          type="button"
          className="plain-button"
          disabled={!state.canUndo}
          onClick={state.edits.undo}
        >
          Undo
        </button>
        <button
          data-needs="edit"
          type="button"
          className="plain-button"
          disabled={!state.canRedo}
          onClick={state.edits.redo}
        >
          Redo
        </button>
        <button type="button" className="plain-button" onClick={() => setOpen(true)}>
          Versions
        </button>
        {children}
      </div>
      {open && <History id={of.id} version={of.version} editing={state.edits} close={() => setOpen(false)} />}
    </>
  );
}
