import { Button } from "antd";
import { useState } from "react";
import type { Step, StepEvidence } from "../../../app/api";

interface Props {
  step: Step;
  used: StepEvidence["used"];
  send: (step: Step, values?: Record<string, string>) => Promise<void>;
  busy: boolean;
}

/** Send one step with the values of the last run, or with other ones for this once. */
export function SendAlone({ step, used, send, busy }: Props) {
  const [values, setValues] = useState<Record<string, string>>();
  const names = namesIn(step);
  const last = (name: string) => {
    const value = used.find((use) => use.text === `[=${name}]`)?.value ?? "";
    return value.replace(/^“(.*)”$/s, "$1");
  };
  return (
    <span className="send-alone">
      {values && (
        <span className="other-values">
          {names.map((name) => (
            <label key={name}>
              <span className="reference">{name}</span>{" "}
              <input
                value={values[name] ?? ""}
                placeholder={last(name) || "as it was"}
                onChange={(event) => setValues({ ...values, [name]: event.target.value })}
              />
            </label>
          ))}
        </span>
      )}
      {names.length > 0 && (
        <button type="button" className="plain-link" onClick={() => setValues(values ? undefined : {})}>
          {values ? "with the values of the last run" : "with other values…"}
        </button>
      )}
      <Button
        size="small"
        disabled={busy}
        onClick={() => {
          const given = Object.entries(values ?? {}).filter(([, value]) => value !== "");
          void send(step, given.length ? Object.fromEntries(given) : undefined);
        }}
      >
        {values ? "Send with these, this once" : "Send this step alone"}
      </Button>
    </span>
  );
}

/** The plain values that a request inserts, by name. */
function namesIn(step: Step): string[] {
  const send = step.send;
  if (!send) return [];
  const pieces = [
    ...send.address,
    ...[...send.query, ...send.headers].flatMap((pair) => pair.value),
    ...(send.auth?.value ?? []),
    ...(send.body?.text ?? []),
  ];
  const names = pieces.map((piece) => /^\[=([^\W\d][\w-]*)\s*[|\]]/u.exec(piece.text)?.[1]);
  const generated = /^(any|now|today|clock|count)$/;
  return [...new Set(names.filter((name) => name !== undefined && !generated.test(name)))] as string[];
}
