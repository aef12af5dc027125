interface Props {
  /** What stands there now. */
  theirs: string;
  mine: () => void;
  leave: () => void;
}

/** Said in an open field whose place was changed elsewhere while it was typed into: both stand until a person decides. */
export function Elsewhere({ theirs, mine, leave }: Props) {
  return (
    <span className="elsewhere" role="alert">
      <span>It was changed elsewhere meanwhile. There it reads now:</span>
      <code className="code">{theirs || "(nothing)"}</code>
      <span>
        {[
          { name: "Put mine there", act: mine },
          { name: "Leave theirs", act: leave },
        ].map(({ name, act }) => (
          <button
            key={name}
            type="button"
            className="plain-button"
            onMouseDown={(event) => event.preventDefault()}
            onClick={act}
          >
            {name}
          </button>
        ))}
      </span>
    </span>
  );
}
