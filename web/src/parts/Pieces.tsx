import { useContext } from "react";
import type { Piece, StepEvidence } from "../api";
import { KnownContext, told } from "./known";

type Used = StepEvidence["used"];

/** A text with its references: each shown as its name, underlined in plum; on hover what it last resolved to, and what it hides. */
export function Pieces({ pieces, used = [] }: { pieces: Piece[]; used?: Used }) {
  const known = useContext(KnownContext);
  return (
    <>
      {pieces.map((piece, index) => {
        // biome-ignore lint/suspicious/noArrayIndexKey: pieces are a text's fixed parts, in order
        if (!piece.name) return <span key={index}>{piece.text}</span>;
        const last = used.find((use) => use.text === piece.text);
        const name = piece.text.slice(2, -1);
        const hint = told(name, last, known(piece.name));
        return (
          // biome-ignore lint/suspicious/noArrayIndexKey: as above
          <span key={index} className="reference" data-hint={hint}>
            {name}
          </span>
        );
      })}
    </>
  );
}
