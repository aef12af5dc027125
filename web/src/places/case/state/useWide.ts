import { useState } from "react";
import { ApiProblem } from "../../../api";
import { useStale } from "../../../api/stale";
import type { Change } from "../../../case/document";
import { useEdited } from "./context";

/** A case, a suite or a project that says something for all that lies in it. */
export interface Level {
  origin: string;
  id: string;
  name: string;
  version: number;
}

/** The next level around one; levels come with the widest first. */
export const around = <Of extends Level>(level: Of | undefined, levels: Of[]): Of | undefined =>
  level && levels[levels.indexOf(level) - 1];

export const whose = (level: Level): string =>
  level.origin === "case" ? "this case" : `the ${level.origin} ${level.name}`;

/** How one kind of thing is said: what a level says now, how a suite or a project comes to say something else, and how the case does. */
interface How<Of extends Level, Value> {
  held: (level: Of) => Value;
  send: (origin: "suite" | "project", level: Of, value: Value) => Promise<unknown>;
  own: (value: Value) => Change;
}

/** Changing what levels say: the case's own is an edit like any other, that of a suite or the project is saved there, and the last change of
 * these can be undone. */
export function useWide<Of extends Level, Value>(levels: Of[], { held, send, own }: How<Of, Value>) {
  const { id, editing } = useEdited();
  const tell = useStale();
  const [last, setLast] = useState<{ id: string; before: Value }[]>([]);
  const [problem, setProblem] = useState("");
  const put = async (level: Of, value: Value): Promise<string | undefined> => {
    if (level.origin === "case") return editing.apply(own(value));
    try {
      await send(level.origin as "suite" | "project", level, value);
      return undefined;
    } catch (wrong) {
      const isStale = wrong instanceof ApiProblem && wrong.status === 412;
      return isStale
        ? "This was changed elsewhere meanwhile; now it stands here as it is."
        : (wrong as Error).message;
    } finally {
      await tell("case", id);
      void tell("evidence", id);
    }
  };
  /** `also`: together with the change before it, so that both are undone in one act. */
  const save = async (level: Of, value: Value, also = false): Promise<string | undefined> => {
    const before = held(level);
    const wrong = await put(level, value);
    if (!wrong && (also || level.origin !== "case"))
      setLast((others) => [...(also ? others : []), { id: level.id, before }]);
    return wrong;
  };
  const undo = async () => {
    const problems: string[] = [];
    for (const { id: of, before } of last) {
      const level = levels.find((item) => item.id === of);
      const wrong = level && (await put(level, before));
      if (wrong) problems.push(wrong);
    }
    setProblem(problems.join(" "));
    setLast([]);
  };
  const changed = levels.filter(
    (level) => level.origin !== "case" && last.some((item) => item.id === level.id),
  );
  return { save, undo, changed, problem };
}
