import { useMemo } from "react";
import { dumped, textIn } from "./hex";

/** A body that is no JSON, as it came, and why it is shown so. */
export function RawBytes({ bytes }: { bytes: Uint8Array<ArrayBuffer> }) {
  const text = useMemo(() => textIn(bytes.subarray(0, 100_000), "utf-8"), [bytes]);
  if (!bytes.length) return <p className="muted pad">The answer has no body.</p>;
  return (
    <>
      <p className="muted pad">
        {text === undefined
          ? "This body is no text, so its bytes are shown, sixteen a line."
          : hasLines(text)
            ? "This body is one JSON text a line, and its type does not say so (application/x-ndjson would), so it is shown as it came."
            : "This body is not JSON, so it is shown as it came."}
      </p>
      <pre className="code pad">{text ?? dumped(bytes)}</pre>
    </>
  );
}

/** Whether the first lines are JSON, each for itself. */
function hasLines(text: string): boolean {
  const lines = text.split("\n").filter((line) => line.trim());
  const isJson = (line: string) => {
    try {
      return /^\s*[[{]/.test(line) && Boolean(JSON.parse(line));
    } catch {
      return false;
    }
  };
  return lines.length > 1 && lines.slice(0, 2).every(isJson);
}
