/** The last act of the page taken back. */
export function UndoButton({ can, undo }: { can: boolean; undo: () => Promise<unknown> }) {
  return (
    <div className="saved" data-needs="edit">
      <button type="button" className="plain-button" disabled={!can} onClick={() => void undo()}>
        Undo
      </button>
    </div>
  );
}
