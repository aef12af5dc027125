import { createContext, useContext } from "react";
import { api, type SignIn as Level, type Step, type StepEvidence } from "../../../api";
import type { Json } from "../../../base/exact";
import { listed } from "../../../base/format";
import { setField, setOwn, stepWith } from "../../../case/document";
import { authOf, authText } from "../../../case/pairs";
import { ownOf, toEveryStep } from "../../../case/signIn";
import { Pieces } from "../../../parts/Pieces";
import { InPlace } from "../../../parts/typing/InPlace";
import { useEdited, useInsertable } from "../state/context";
import { around, useWide, whose } from "../state/useWide";

/** How the steps of the project, the suite and the case sign in. */
export const SignInContext = createContext<Level[]>([]);

const HINT =
  "bearer TOKEN, basic USER PASSWORD, digest USER PASSWORD, key header NAME VALUE, or oauth2 ADDRESS CLIENT SECRET. Empty: none of its own.";
/** How a level signs in, undefined for nothing said. */
const HOW = {
  held: (level: Level) => (level.document ?? undefined) as Json | undefined,
  send: (origin: "suite" | "project", level: Level, auth: Json | undefined) =>
    api.setSignIn(origin, level.id, level.version, auth ?? null),
  own: (auth: Json | undefined) => setOwn("auth", auth),
};

interface Props {
  step: Step;
  used: StepEvidence["used"];
}

/** How a step signs in: by itself, or as all of the case, the suite or the project do, from which it can except itself. */
export function SignIn({ step, used }: Props) {
  const { editing, single, shared } = useEdited();
  const insertable = useInsertable(step.number, step.key);
  const levels = useContext(SignInContext);
  const { save, undo, changed, problem } = useWide(levels, HOW);
  const said = problem || (changed.length ? `Changed for ${listed(changed.map(whose))}.` : "");
  const document = stepWith(editing.document, step.key);
  const auth = step.send?.auth;
  const level = levels.findLast((item) => item.auth && item.origin === auth?.from);
  const nearest = levels.findLast((item) => item.auth && !(shared && item.origin === "case"));
  const own = (value: Json | undefined) => editing.apply(setField(step.key, "auth", value));
  const typed = (put: (value: Json | undefined) => Promise<string | undefined>) => (text: string) => {
    const value = text.trim() === "none" ? "none" : authOf(text);
    const wrong = typeof value === "string" && value !== "none";
    return wrong ? Promise.resolve(value) : put(value);
  };
  const wider = around(level, levels);
  const mine = level?.origin === "case" ? ownOf(editing.document, level.document as Json) : [];
  return (
    <>
      {auth && (
        <>
          , signed by{" "}
          <InPlace
            insertable={insertable}
            text={authText(level ? { auth: level.document as Json } : document)}
            label={level ? `How ${whose(level)} signs in` : "How it signs in"}
            hint={HINT}
            save={typed(level ? (value) => save(level, value) : own)}
          >
            <span className="mono">
              <Pieces pieces={auth.value} used={used} />
            </span>
          </InPlace>
          {level ? (
            <>
              {" "}
              as {whose(level)} does{" "}
              <span className="row-tools in-line">
                <button
                  data-needs="edit"
                  type="button"
                  title="This step does not sign in"
                  onClick={() => void own("none")}
                >
                  not here
                </button>
                {wider && (
                  <button
                    data-needs="edit"
                    type="button"
                    disabled={mine.length > 0}
                    title={
                      mine.length
                        ? `Only this case has ${mine.join(" and ")}`
                        : `Every step of ${whose(wider)} signs in so`
                    }
                    onClick={async () => {
                      const wrong = await save(wider, level.document as Json);
                      if (!wrong) void save(level, undefined, true);
                    }}
                  >
                    every step of {whose(wider)}
                  </button>
                )}
              </span>
            </>
          ) : (
            !single &&
            !shared && (
              <>
                {" "}
                <span className="row-tools in-line">
                  <button
                    data-needs="edit"
                    type="button"
                    title="Every step of the case signs in so"
                    onClick={() => void editing.apply(toEveryStep(step.key))}
                  >
                    every step
                  </button>
                </span>
              </>
            )
          )}
        </>
      )}
      {document?.auth === "none" && nearest && (
        <>
          , not signed in{" "}
          <span className="row-tools in-line">
            <button data-needs="edit" type="button" onClick={() => void own(undefined)}>
              as {whose(nearest)} does
            </button>
          </span>
        </>
      )}
      {said && (
        <span className="muted" role="status">
          {" "}
          {said}{" "}
          {!problem && (
            <button data-needs="edit" type="button" className="plain-link" onClick={() => void undo()}>
              Undo
            </button>
          )}
        </span>
      )}
    </>
  );
}

/** Where none is said, the place to say one. */
export function AddSignIn({ step }: { step: Step }) {
  const { editing } = useEdited();
  const insertable = useInsertable(step.number, step.key);
  const save = (text: string) => {
    const value = authOf(text);
    return typeof value === "string"
      ? Promise.resolve(value)
      : editing.apply(setField(step.key, "auth", value));
  };
  if (step.send?.auth) return null;
  return (
    <InPlace insertable={insertable} text="" label="How it signs in" hint={HINT} save={save}>
      <span className="muted add">+ sign-in</span>
    </InPlace>
  );
}
