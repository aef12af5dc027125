import { api } from "../../../api";
import { useStale } from "../../../api/stale";
import { duplicateStep, inPlaceOf, inStep, PARTS, setField, stepWith, toEach } from "../../../case/document";
import { newKey } from "../../../case/keys";
import { InPlace } from "../../../parts/typing/InPlace";
import { useEdited } from "../state/context";

/** What can be done with several steps at once. */
export function Several({ keys, done }: { keys: string[]; done: () => void }) {
  const { editing, id, openLater } = useEdited();
  const tell = useStale();
  const allOff = keys.every((key) => stepWith(editing.document, key)?.off);
  const act = (change: Parameters<typeof toEach>[1]) => {
    void editing.apply(toEach(keys, change));
    done();
  };
  /** They become shared steps, and one step that uses them stands in their place. */
  const share = async (name: string): Promise<string | undefined> => {
    if (!name.trim()) return undefined;
    const openIt = openLater();
    try {
      await editing.saved();
      const { use } = await api.extract(id, keys, name.trim());
      const step = { ...use, key: newKey() };
      const problem = await editing.apply(inPlaceOf(keys, step));
      await tell("shared steps");
      if (problem) return problem;
      done();
      openIt(step.key);
      return undefined;
    } catch (wrong) {
      return (wrong as Error).message;
    }
  };
  return (
    <div className="several" role="toolbar" aria-label="The chosen steps">
      <span>{keys.length === 1 ? "1 step is chosen" : `${keys.length} steps are chosen`}</span>
      <button data-needs="edit" type="button" onClick={() => act(duplicateStep)}>
        duplicate
      </button>
      <button
        data-needs="edit"
        type="button"
        onClick={() => act((key) => setField(key, "off", allOff ? undefined : true))}
      >
        {allOff ? "switch on" : "switch off"}
      </button>
      <button data-needs="edit" type="button" onClick={() => void editing.apply(moveTogether(keys, -1))}>
        move up
      </button>
      <button data-needs="edit" type="button" onClick={() => void editing.apply(moveTogether(keys, 1))}>
        move down
      </button>
      <button data-needs="edit" type="button" onClick={() => act((key) => inStep(key, () => null))}>
        delete
      </button>
      <InPlace
        text=""
        label="The name of the shared steps"
        hint="Such as: Sign in as harbour agent."
        save={share}
      >
        make shared steps…
      </InPlace>
      <button data-needs="edit" type="button" onClick={done}>
        choose none
      </button>
    </div>
  );
}

/** One place up or down, each of them; at the edge they stay, so that their order holds. */
function moveTogether(keys: string[], by: 1 | -1) {
  return (document: Parameters<ReturnType<typeof inStep>>[0]) => {
    const next = { ...document };
    for (const part of PARTS) {
      const steps = [...((document[part] as { key: string }[] | undefined) ?? [])];
      const places = steps.map((_step, at) => at);
      for (const at of by > 0 ? places.reverse() : places) {
        const [step, neighbour] = [steps[at], steps[at + by]];
        if (!step || !neighbour || !keys.includes(step.key) || keys.includes(neighbour.key)) continue;
        [steps[at], steps[at + by]] = [neighbour, step];
      }
      if (document[part]) next[part] = steps;
    }
    return next;
  };
}
