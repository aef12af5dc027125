import type { SourceDocument, SourceFrame } from "../../api";
import { InPlace } from "../../parts/typing/InPlace";
import { saying } from "./source";

interface Props {
  document: SourceDocument;
  frame: SourceFrame;
  change: (document: SourceDocument) => Promise<string | undefined>;
}

/** Where names and data stand, and what of it is a guess. */
export function FrameFound({ document, frame, change }: Props) {
  return (
    <>
      {frame.names ? "Names stand in row " : "No row has "}
      <InPlace
        text={String(frame.names)}
        label="The row that has the columns’ names"
        hint="Its number; 0: no row has names"
        save={async (row) =>
          /^\d{1,4}$/.test(row.trim())
            ? change(saying(document, "names in", Number(row)))
            : "Type the row’s number, or 0."
        }
      >
        {frame.names || "names"}
      </InPlace>
      , data in{" "}
      <InPlace
        text={frame.text}
        label="Where the data stand"
        hint="Cells such as A2:F40, or A2:F to the last row"
        save={(area) => change(saying(document, "data in", area.trim()))}
      >
        <span className="mono">{frame.text}</span>
      </InPlace>
      {!frame.lastRow && " to the last row"}.{" "}
      {(frame.namesSaid || frame.dataSaid) && (
        <button
          data-needs="edit"
          type="button"
          className="plain-link"
          onClick={() => void change(saying(saying(document, "names in", undefined), "data in", undefined))}
        >
          find them again
        </button>
      )}
      {frame.doubts.map((doubt) => (
        <span key={doubt} className="guess">
          {" "}
          (A guess: {doubt}.)
        </span>
      ))}{" "}
      {frame.doubts.length > 0 && (
        <button
          data-needs="edit"
          type="button"
          className="plain-link"
          onClick={() =>
            void change(saying(saying(document, "names in", frame.names), "data in", frame.text))
          }
        >
          it is right so
        </button>
      )}
    </>
  );
}
