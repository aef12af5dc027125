/** What was typed quickly, one after the other, and refused while the next was being typed: it stays until it is put back or let go. */
export interface Refusal {
  typed: string;
  sentence: string;
}

interface Props {
  refused: Refusal[];
  /** The refusal goes back into the field. */
  putBack: (refusal: Refusal) => void;
  letGo: (refusal: Refusal) => void;
}

export function Refused({ refused, putBack, letGo }: Props) {
  return refused.map((refusal) => (
    <span className="problem" role="alert" key={refusal.typed}>
      “{refusal.typed}” was not taken: {refusal.sentence}{" "}
      <button type="button" className="plain-link" onClick={() => putBack(refusal)}>
        Put it back
      </button>{" "}
      <button type="button" className="plain-link" onClick={() => letGo(refusal)}>
        Let it go
      </button>
    </span>
  ));
}
