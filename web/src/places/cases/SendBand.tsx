import type { Pair, Step, StepEvidence } from "../../app/api";
import { count } from "../../app/format";
import { Pieces } from "../../parts/Pieces";

/** What goes out, as a sentence: method, address, and what goes with it; the body below. */
export function SendBand({ step, used }: { step: Step; used: StepEvidence["used"] }) {
  const send = step.send;
  if (!send) return null;
  const body = send.body && { json: "a JSON body", text: "a text body", form: "a form" }[send.body.kind];
  const parts = [
    body,
    send.query.length > 0 && count(send.query.length, "query parameter"),
    send.headers.length > 0 && count(send.headers.length, "header"),
  ].filter(Boolean);
  return (
    <div className="band">
      <h3>Send</h3>
      <div>
        <p className="send-line">
          <span className="mono">
            {send.method} <Pieces pieces={send.address} used={used} />
          </span>
          {parts.length > 0 && ` with ${parts.join(", ")}`}
          {send.auth && (
            <>
              , signed by{" "}
              <span className="mono">
                <Pieces pieces={send.auth.value} used={used} />
              </span>
            </>
          )}
          {send.options.length > 0 && `; ${send.options.join(", ")}`}
        </p>
        <Pairs pairs={send.query} used={used} join="=" />
        <Pairs pairs={send.headers} used={used} join=":" />
        {send.body && (
          <pre className="code body-text">
            <Pieces pieces={send.body.text} used={used} />
          </pre>
        )}
      </div>
    </div>
  );
}

function Pairs({ pairs, used, join }: { pairs: Pair[]; used: StepEvidence["used"]; join: string }) {
  if (!pairs.length) return null;
  return (
    <ul className="pairs mono">
      {pairs.map((pair, index) => (
        // biome-ignore lint/suspicious/noArrayIndexKey: names may repeat, and the order is fixed
        <li key={index}>
          <span className="muted">
            {pair.name} {join}
          </span>{" "}
          <Pieces pieces={pair.value} used={used} />
        </li>
      ))}
    </ul>
  );
}
