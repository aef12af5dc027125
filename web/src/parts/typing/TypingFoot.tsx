/** What stands below a field while it is typed in: how it is left, and a way to a value without knowing what to type. */
export function TypingFoot({ hint, offer }: { hint?: string; offer?: () => void }) {
  return (
    <span className="muted small typing-foot">
      {offer && (
        <button
          type="button"
          className="plain-link"
          onMouseDown={(event) => event.preventDefault()}
          onClick={offer}
        >
          insert a value
        </button>
      )}
      {hint}
    </span>
  );
}
