import { type KeyboardEvent, useCallback, useState } from "react";
import type { Outcome } from "../../../api";
import { cut } from "../../../base/cut";
import { type Json, writeExact } from "../../../base/exact";
import { count } from "../../../base/format";
import { namesOf } from "../../../base/places";
import {
  type BodyLine,
  linesOf,
  literally,
  ofKind,
  otherManners,
  put,
  putManner,
  putOptional,
  typedValue,
  valueAt,
} from "../../../case/expectedBody";
import { Typing } from "../../../parts/typing/Typing";
import { placeIn, readActual, wrongAt } from "./actual";
import { CompareBody } from "./CompareBody";

/** As many lines are shown without asking. */
const MOST_SHOWN = 14;

interface Props {
  /** The subject that the body is expected at. */
  of: string;
  body: Json;
  outcome: Outcome | undefined;
  /** The exchange whose answer it was judged on. */
  exchange: string | undefined;
  save: (body: Json) => Promise<string | undefined>;
}

/** The body that a check expects, place by place: a click on one loosens it, tightens it or takes it out. */
export function ExpectedBody({ of, body, outcome, exchange, save }: Props) {
  const [beside, setBeside] = useState(false);
  const wrong = useCallback((path: string) => wrongAt(path, outcome) !== undefined, [outcome]);
  const lines = linesOf(body, of);
  const [all, setAll] = useState(false);
  const [acting, setActing] = useState("");
  const [problem, setProblem] = useState("");
  const actual = readActual(outcome);
  const shown =
    all || lines.length <= MOST_SHOWN ? lines : lines.filter((line) => wrongAt(line.path, outcome));
  const change = async (next: Json | undefined) => {
    const wrong = next === undefined ? "An expected body has at least one place." : await save(next);
    setProblem(wrong ?? "");
    if (!wrong) setActing("");
  };
  const keys = (event: KeyboardEvent) => {
    if (event.key !== "Escape") return;
    event.stopPropagation();
    setActing("");
  };
  if (beside && exchange)
    return (
      <div className="expected-body">
        <CompareBody of={of} body={body} exchange={exchange} wrong={wrong} save={save} />
        <button type="button" className="plain-link" onClick={() => setBeside(false)}>
          Close the comparison
        </button>
      </div>
    );
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: Escape leaves what is open inside
    <div className="expected-body" onKeyDown={keys}>
      {shown.map((line) => {
        const name = writeExact(line.way);
        const wrong = wrongAt(line.path, outcome);
        const was = placeIn(actual, of, wrong ?? line.path?.replaceAll("[*]", "[0]"));
        return (
          <div key={name}>
            <button
              type="button"
              className={wrong ? "body-line wrong" : "body-line"}
              style={{ paddingLeft: 8 + 16 * line.depth }}
              aria-expanded={acting === name}
              title={line.path}
              onClick={() => setActing(acting === name ? "" : name)}
            >
              <span className="mono muted">{line.depth ? line.name : of}</span>{" "}
              <span className={line.loose || line.kind !== "value" ? "muted" : "mono"}>{line.text}</span>
              {line.optional && <span className="muted"> may be missing</span>}
              {wrong && was !== undefined && <span className="was mono">{writeExact(was)}</span>}
            </button>
            {acting === name && (
              <Loosen body={body} line={line} was={was} change={change} problem={problem} />
            )}
          </div>
        );
      })}
      {lines.length > MOST_SHOWN && (
        <button type="button" className="plain-link" onClick={() => setAll(!all)}>
          {all ? "Show less" : `Show all ${count(lines.length, "place")}`}
        </button>
      )}
      {exchange && namesOf(of).length === singular(of) && (
        <button type="button" className="plain-link" onClick={() => setBeside(true)}>
          Side by side with the answer
        </button>
      )}
    </div>
  );
}

interface LoosenProps {
  body: Json;
  line: BodyLine;
  /** What the last answer had there. */
  was: Json | undefined;
  change: (next: Json | undefined) => Promise<void>;
  problem: string;
}

/** What can be expected at one place instead. */
function Loosen({ body, line, was, change, problem }: LoosenProps) {
  const [typing, setTyping] = useState(false);
  const now = valueAt(body, line.way) as Json;
  const to = (value: Json | undefined) => void change(put(body, line.way, value));
  const kind = ofKind(was ?? (line.loose ? null : now));
  const asItIs = was !== undefined && writeExact(literally(was)) !== writeExact(now);
  const inObject = typeof line.way.at(-1) === "string";
  if (typing)
    return (
      <span className="acts-bar">
        <Typing
          text={writeExact(now)}
          label={`What is expected at ${line.path ?? line.name}`}
          always
          save={async (text) => {
            await change(put(body, line.way, typedValue(text)));
            return undefined;
          }}
          close={() => setTyping(false)}
        />
      </span>
    );
  return (
    <span className="acts-bar" role="toolbar" aria-label={`How ${line.path ?? line.name} is expected`}>
      {asItIs && (
        <button data-needs="edit" type="button" onClick={() => to(literally(was))}>
          As it is: <span className="mono">{cut(writeExact(was), 28)}</span>
        </button>
      )}
      {kind !== "[?]" && kind !== now && (
        <button data-needs="edit" type="button" onClick={() => to(kind)}>
          Any {kind.slice(2, -1)}
        </button>
      )}
      {now !== "[?]" && (
        <button data-needs="edit" type="button" onClick={() => to("[?]")}>
          Anything
        </button>
      )}
      {line.kind === "list" &&
        otherManners(body, line.way).map((manner) => (
          <button
            data-needs="edit"
            type="button"
            key={manner}
            onClick={() => void change(putManner(body, line.way, manner))}
          >
            {manner[0]?.toUpperCase()}
            {manner.slice(1)}
          </button>
        ))}
      {line.kind === "value" && (
        <button data-needs="edit" type="button" onClick={() => setTyping(true)}>
          Something else…
        </button>
      )}
      {inObject && (
        <button
          data-needs="edit"
          type="button"
          aria-pressed={line.optional}
          onClick={() => void change(putOptional(body, line.way, !line.optional))}
        >
          {line.optional ? "Must be there" : "May be missing"}
        </button>
      )}
      {line.way.length > 0 && (
        <button data-needs="edit" type="button" onClick={() => to(undefined)}>
          Leave it out
        </button>
      )}
      {problem && <span role="alert">{problem}</span>}
    </span>
  );
}

/** How many names and indexes a path has that means one place; -1 for one that may mean several. */
const singular = (of: string): number => (/[*?:]|\.\./.test(of) ? -1 : namesOf(of).length);
