import { useState } from "react";
import { useEdited } from "./context";
import { addStep, stepFrom, stepsOf } from "./document";
import { Typing } from "./InPlace";
import type { Reference } from "./references";

/** The end of the path: type or paste an address, and it becomes a step. */
export function AddStep({ choose }: { choose: (key: string) => void }) {
  const { editing, references } = useEdited();
  const [round, setRound] = useState(0);
  const save = async (text: string) => {
    if (!text.trim()) return undefined;
    const step = stepFrom(text);
    const problem = await editing.apply(addStep(step));
    if (!problem) choose(step.key as string);
    return problem;
  };
  const steps = stepsOf(editing.document, "steps").length;
  return (
    <div className="add-step">
      {steps === 0 && (
        <p>
          A case is a path of steps. Type the first request below, such as{" "}
          <span className="mono">GET [=harbour]/vessels</span>, send it, and make checks by pointing at its
          answer.
        </p>
      )}
      <Always key={round} references={references(steps + 1)} save={save} again={() => setRound(round + 1)} />
    </div>
  );
}

interface AlwaysProps {
  save: (text: string) => Promise<string | undefined>;
  again: () => void;
  references: Reference[];
}

function Always({ save, again, references }: AlwaysProps) {
  return (
    <Typing
      text=""
      label="Add a step: a method and an address"
      placeholder="+ a step: GET [=harbour]/pilots, an address, wait 2 s, set name = value"
      save={save}
      references={references}
      close={again}
      quiet
    />
  );
}
