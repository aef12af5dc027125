import { useInfiniteQuery } from "@tanstack/react-query";
import { useDeferredValue, useState } from "react";
import { api, type Shapes } from "../../../api";
import { queries } from "../../../api/queries";
import { clock, exactly, onDay } from "../../../base/format";
import { Notice } from "../../../parts/Notice";

const SPANS: [string, string, number][] = [
  ["", "ever", 0],
  ["1", "in the last day", 1],
  ["7", "in the last week", 7],
  ["30", "in the last month", 30],
];
const DAY_MS = 86_400_000;

/** What was done, the newest first, by day; found by words, and saved as CSV. Without a project: on the whole installation. */
export function DoneList({ project }: { project: string }) {
  const [text, setText] = useState("");
  const [span, setSpan] = useState("");
  const [since, setSince] = useState("");
  const wanted = { project, person: "", text: useDeferredValue(text.trim()), since };
  const done = useInfiniteQuery(queries.done(wanted));
  const lines = done.data?.pages.flatMap((page) => page.items) ?? [];
  const choose = (key: string) => {
    const days = SPANS.find(([one]) => one === key)?.[2] ?? 0;
    setSpan(key);
    setSince(days ? new Date(Date.now() - days * DAY_MS).toISOString() : "");
  };
  return (
    <section aria-label="Who did what">
      <div className="value-ways">
        <input
          type="search"
          placeholder="Find a name, or what was done"
          aria-label="Find what was done"
          value={text}
          onChange={(event) => setText(event.target.value)}
        />
        <select
          className="which-part"
          aria-label="Since when"
          value={span}
          onChange={(event) => choose(event.target.value)}
        >
          {SPANS.map(([key, label]) => (
            <option key={key} value={key}>
              {label}
            </option>
          ))}
        </select>
        <a href={api.doneFile(wanted)} download>
          Save as CSV
        </a>
      </div>
      {done.error && <Notice sentence={done.error.message} retry={() => void done.refetch()} />}
      {done.isSuccess && !lines.length && (
        <p className="muted">
          {wanted.text || since
            ? "Nothing of that kind was done."
            : "Nothing yet. Whatever somebody changes, runs, invites or ends is told here, with when and from where."}
        </p>
      )}
      <ol className="done-list">
        {lines.map((line, at) => (
          <Line key={line.id} line={line} day={onDay(line.at) !== onDay(lines[at - 1]?.at ?? "")} />
        ))}
      </ol>
      {done.hasNextPage && (
        <p>
          <button type="button" className="plain-link" onClick={() => void done.fetchNextPage()}>
            Older ones
          </button>
        </p>
      )}
    </section>
  );
}

const WAYS: { [way: string]: string } = {
  session: "",
  key: "by a key, ",
  alone: "",
  link: "by a link, ",
  nobody: "not signed in, ",
  command: "by a command on the machine",
};

function Line({ line, day }: { line: Shapes["Done"]; day: boolean }) {
  return (
    <>
      {day && <li className="day">{onDay(line.at)}</li>}
      <li>
        <span className="muted when" title={exactly(line.at)}>
          {clock(line.at)}
        </span>
        <span>
          <strong>{line.name || "Nobody known"}</strong> {line.about}{" "}
          <span className="muted small">
            {WAYS[line.way]}
            {line.place && `from ${line.place}`}
          </span>
        </span>
      </li>
    </>
  );
}
