import type { Step, StepEvidence } from "../../../api";
import type { Json } from "../../../base/exact";
import { setBody, setField, splitAddress, stepWith } from "../../../case/document";
import { BODY_HINT, bodyKind, optionsOf, optionsText, pairsOf, partsOf } from "../../../case/pairs";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import { AddFile } from "../edit/AddFile";
import { HandOvers } from "../edit/HandOvers";
import { AddSignIn, SignIn } from "../edit/SignIn";
import { useEdited, useInsertable } from "../state/context";
import { Moment } from "./Moment";
import { Pairs } from "./Pairs";

/** What goes out, as a sentence whose parts are changed where they stand. */
export function SendBand({ step, used }: { step: Step; used: StepEvidence["used"] }) {
  const { editing } = useEdited();
  const insertable = useInsertable(step.number, step.key);
  const send = step.send;
  if (!send) return null;
  const address = send.address.map((piece) => piece.text).join("");
  const saveAddress = async (text: string): Promise<string | undefined> => {
    const [, method, rest] = /^\s*([A-Za-z]+)\s+(.*\S)\s*$/.exec(text) ?? [
      undefined,
      send.method,
      text.trim(),
    ];
    if (!rest) return "An address is missing, such as GET [=harbour]/pilots";
    const split = send.query.length ? { address: rest } : splitAddress(rest);
    const sent = setField(step.key, "send", `${method?.toUpperCase()} ${split.address}`);
    const query = split.query ? setField(step.key, "query", split.query) : undefined;
    return editing.apply((before) => (query ? query(sent(before)) : sent(before)));
  };
  const hole = send.unfilled;
  const savePairs = (field: "query" | "headers") => (text: string) => {
    const pairs = pairsOf(text, field === "query" ? "=" : ":");
    return typeof pairs === "string"
      ? Promise.resolve(pairs)
      : editing.apply(setField(step.key, field, pairs.length ? asWritten(pairs) : undefined));
  };
  const document = stepWith(editing.document, step.key);
  const saveOptions = (text: string) => {
    const value = optionsOf(text);
    return typeof value === "string"
      ? Promise.resolve(value)
      : editing.apply(setField(step.key, "options", value));
  };
  const body = send.body;
  const saveBody = (text: string) => {
    const kind = body?.kind ?? bodyKind(text);
    if (!text.trim()) return editing.apply(setBody(step.key, kind, undefined));
    const pairs = kind === "form" ? pairsOf(text, "=") : kind === "multipart" ? partsOf(text) : undefined;
    if (typeof pairs === "string") return Promise.resolve(pairs);
    if (kind === "form")
      return editing.apply(setBody(step.key, kind, asWritten(pairs as [string, string][])));
    const path = kind === "file" ? text.trim().replace(/^file\s+/, "") : text;
    return editing.apply(setBody(step.key, kind, (pairs as Json) ?? path));
  };
  return (
    <div className="band">
      <h3>Send</h3>
      <div>
        <p className="send-line">
          <InPlace
            insertable={insertable}
            text={`${send.method} ${address}`}
            label="The method and the address"
            save={saveAddress}
          >
            <span className="mono">
              {send.method} <Pieces pieces={send.address} used={used} />
            </span>
          </InPlace>
          <SignIn step={step} used={used} />
          {send.options.length > 0 && (
            <>
              ;{" "}
              <InPlace
                insertable={insertable}
                text={optionsText(document)}
                label="The options"
                lines
                hint={OPTIONS_HINT}
                save={saveOptions}
              >
                {send.options.join(", ")}
              </InPlace>
            </>
          )}
        </p>
        <Pairs
          insertable={insertable}
          pairs={send.query}
          used={used}
          join="="
          label="The query, a line each: name = value"
          add="+ query"
          save={savePairs("query")}
        />
        <Pairs
          insertable={insertable}
          pairs={send.headers}
          used={used}
          join=":"
          label="The headers, a line each: Name: value"
          add="+ headers"
          save={savePairs("headers")}
        />
        <InPlace
          insertable={insertable}
          text={body?.text.map((piece) => piece.text).join("") ?? ""}
          label={body ? "The body" : "Add a body"}
          save={saveBody}
          lines
          body={BODY_FIELDS[body?.kind ?? "json"]}
          hint={body ? BODY_HINTS[body.kind] : BODY_HINT}
        >
          {body ? (
            <span className="code body-text">
              <Pieces pieces={body.text} used={used} />
            </span>
          ) : (
            <span className="muted add">+ body</span>
          )}
        </InPlace>
        {(!body || ["form", "multipart", "file"].includes(body.kind)) && <AddFile step={step} />}
        <AddSignIn step={step} />
        {send.options.length === 0 && (
          <InPlace
            insertable={insertable}
            text=""
            label="The options"
            lines
            hint={OPTIONS_HINT}
            save={saveOptions}
          >
            <span className="muted add">+ options</span>
          </InPlace>
        )}
        <Moment step={step} />
        {hole && (
          <p className="hand-over">
            <span className="mono">{hole}</span> is a place to fill:{" "}
            <InPlace
              asks
              insertable={insertable}
              text={`${send.method} ${address}`}
              label={`The value for ${hole}`}
              save={saveAddress}
            >
              <span className="plain-link">pick its value</span>
            </InPlace>
            , or drag one here from an earlier step's answer.
          </p>
        )}
        <HandOvers step={step.key} />
      </div>
    </div>
  );
}

const OPTIONS_HINT =
  "timeout: 5 s · retries: 2 · follow redirects: false · verify tls: false · largest body: 10 MB · cookies: false. Ctrl Enter keeps.";
const BODY_FIELDS: Record<string, "json" | "text"> = { json: "json", xml: "text", text: "text" };
const BODY_HINTS: Record<string, string> = {
  json: 'JSON; a value is inserted as "[=name]". Ctrl Enter keeps.',
  multipart:
    'A part in each line: name = text, name = "several\\nlines", or name = file PATH, TYPE. Ctrl Enter keeps.',
  file: "The path of a file of the project. Ctrl Enter keeps.",
};

/** A mapping, or a list of pairs where a name repeats, as the format has it. */
function asWritten(pairs: [string, string][]) {
  const names = new Set(pairs.map(([name]) => name));
  return names.size === pairs.length ? Object.fromEntries(pairs) : pairs;
}
