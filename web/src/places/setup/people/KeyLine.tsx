import type { Key } from "../../../api";
import { ago, exactly, listed } from "../../../base/format";

interface Props {
  of: Key;
  /** Whose it is, where that is not known from where it stands. */
  by?: boolean;
  end: () => void;
}

/** What a key may, in words. */
export const MAY: { [scope: string]: string } = {
  read: "look",
  run: "run and look",
  write: "change and look",
};

/** One key as a sentence. */
export function KeyLine({ of, by, end }: Props) {
  const may = listed(of.scopes.map((scope) => MAY[scope] ?? scope));
  return (
    <li className={of.ended ? "over" : undefined}>
      <strong>{of.name}</strong>
      {by && ` of ${of.by}`} may {may} in {of.projectName || "each project that its maker has a part in"}
      {of.ended ? "; it has ended. " : `, until ${exactly(of.endsAt)}. `}
      <span className="mono muted">{of.begins}…</span>{" "}
      <span className="muted" title={exactly(of.usedAt)}>
        {of.usedAt ? `used ${ago(of.usedAt)} from ${of.usedFrom}` : "never used"}
      </span>{" "}
      {!of.ended && (
        <button type="button" className="plain-link" aria-label={`End it: the key ${of.name}`} onClick={end}>
          End it
        </button>
      )}
    </li>
  );
}
