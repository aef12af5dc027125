import type { RecordedEntry } from "../../../api";
import { duration, size } from "../../../base/format";

interface Props {
  entry: RecordedEntry;
  chosen: boolean;
  turn: (number: number) => void;
}

/** One entry of a recording: what was asked, what came back, and why it was left out or what of it was. */
export function EntryRow({ entry, chosen, turn }: Props) {
  const words = [entry.leftOut?.sentence ?? "", entry.needed?.sentence ?? "", ...entry.said].filter(Boolean);
  const id = `entry-${entry.number}`;
  return (
    <li className="entry">
      <input
        id={id}
        type="checkbox"
        checked={chosen}
        disabled={!entry.step}
        onChange={() => turn(entry.number)}
      />
      <label htmlFor={id}>
        <span className="number muted">{entry.number}</span>{" "}
        {entry.step ? (
          <strong>{String(entry.step.request)}</strong>
        ) : (
          <span className="muted">no request</span>
        )}{" "}
        <span className="mono">{readable(entry.address)}</span>
        {words.length > 0 && <span className="muted note">{words.map(sentence).join(" ")}</span>}
      </label>
      <span className="number muted">
        {entry.status > 0 && [entry.status, size(entry.size), duration(entry.ms)].join(" · ")}
      </span>
    </li>
  );
}

/** An address with what is encoded in it as it reads; what divides its parts stays as it is. */
function readable(address: string): string {
  try {
    return decodeURI(address);
  } catch {
    return address;
  }
}

const sentence = (words: string) =>
  `${words[0]?.toUpperCase()}${words.slice(1)}${/[.]$/.test(words) ? "" : "."}`;
