import type { Case } from "../../../api";
import { setOwn } from "../../../case/document";
import { InPlace } from "../../../parts/typing/InPlace";
import type { Edits } from "../state/useEditing";

interface Props {
  of: Case;
  edits: Edits;
}

/** What the case, or the shared steps, are called. */
export function NameField({ of, edits }: Props) {
  return (
    <InPlace
      text={of.name}
      label={of.shared ? "The name of the shared steps" : "The case's name"}
      save={(name) => edits.apply(setOwn(of.shared ? "shared" : "case", name.trim()))}
    >
      {of.name}
    </InPlace>
  );
}

/** What it is about, in a sentence. */
export function AboutField({ of, edits }: Props) {
  return (
    <InPlace
      text={of.about}
      label={of.shared ? "What they are about" : "What the case is about"}
      save={(about) => edits.apply(setOwn("about", about.trim()))}
    >
      {of.about || <span className="add">+ what {of.shared ? "they are" : "it is"} about</span>}
    </InPlace>
  );
}
