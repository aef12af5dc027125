import { useQuery } from "@tanstack/react-query";
import { useCallback, useRef } from "react";
import { api, type RunEvent } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { Notice } from "../../parts/Notice";
import { InPlace } from "../../parts/typing/InPlace";
import { useActs, useTold } from "../../state/acts";
import { useEvents } from "../../state/events";
import { DeliveryLog } from "./DeliveryLog";
import { DeliverySentence, type Rule, type RuleChange } from "./DeliverySentence";

/** Where results of runs go when they end, a sentence each, and what came of the last ones. */
export function Deliveries({ project }: { project: string }) {
  const tell = useStale();
  const rules = useQuery(queries.deliveryRules(project));
  const sent = useQuery(queries.deliveries(project));
  const { carry, undo, canUndo } = useActs(useCallback(() => tell("deliveries"), [tell]));
  const [problem, told] = useTold();
  useEvents(
    project,
    useCallback(
      (event: RunEvent) => {
        if (event.type.startsWith("deliver") || event.type === "run finished") void tell("deliveries");
      },
      [tell],
    ),
  );
  // What changes have made: a second one made before the first is drawn is made on top of that.
  const made = useRef(new Map<string, Rule>());
  if (rules.error) return <Notice sentence={rules.error.message} retry={() => void rules.refetch()} />;
  if (!rules.data) return null;
  const add = (address: string) =>
    told(
      carry(
        () => api.addDeliveryRule(project, address.trim()),
        (made) => () => api.removeDeliveryRule(made.id),
      ),
    );
  const newest = (rule: Rule) => {
    const known = made.current.get(rule.id);
    return known && known.version > rule.version ? known : rule;
  };
  const change = (rule: Rule, wanted: RuleChange) =>
    told(
      carry(
        async () => {
          const changed = await api.changeDeliveryRule(newest(rule), wanted);
          made.current.set(rule.id, changed);
          return changed;
        },
        // a key that was replaced is read by nobody, and cannot be put back
        "key" in wanted ? undefined : (made) => () => back(rule, made, wanted),
      ),
    );
  /** What a change has set is as it was before, if nobody set it otherwise since. */
  const back = async (before: Rule, made: Rule, wanted: RuleChange) => {
    const now = (await api.deliveryRules(project)).items.find(({ id }) => id === made.id);
    const names = Object.keys(wanted) as (keyof Rule)[];
    if (!now || names.some((name) => now[name] !== made[name]))
      throw new Error("It was changed by somebody else meanwhile, so that nothing is undone.");
    return api.changeDeliveryRule(now, Object.fromEntries(names.map((name) => [name, before[name]])));
  };
  const remove = (rule: Rule) =>
    told(
      carry(
        () => api.removeDeliveryRule(rule.id),
        () => () => api.bringBackDeliveryRule(rule.id),
      ),
    );
  return (
    <section className="deliveries" aria-label="Deliveries">
      <h2>Deliveries</h2>
      {rules.data.items.length === 0 && (
        <p className="muted">
          When a run ends, its result can be sent to an address: to a register of tests, or to whatever
          collects JUnit. It is tried again for a day if nobody takes it.
        </p>
      )}
      <ul className="delivery-rules">
        {rules.data.items.map((rule) => (
          <DeliverySentence
            key={rule.id}
            rule={rule}
            project={project}
            change={(wanted) => change(rule, wanted)}
            remove={() => void remove(rule)}
          />
        ))}
      </ul>
      <p>
        <InPlace
          text=""
          label="Send results to one more address"
          hint="Such as https://register.example/results"
          save={add}
        >
          <span className="add">+ an address</span>
        </InPlace>
        {canUndo && (
          <>
            {" "}
            <button data-needs="edit" type="button" className="plain-link" onClick={() => void told(undo())}>
              Undo what was said of deliveries
            </button>
          </>
        )}{" "}
        {problem && (
          <span className="trouble" role="alert">
            {problem}
          </span>
        )}
      </p>
      <DeliveryLog sent={sent.data?.items ?? []} rules={rules.data.items} told={told} />
    </section>
  );
}
