import { useQuery } from "@tanstack/react-query";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { Choice } from "../../parts/Choice";
import { pathOf } from "../../parts/suites";
import { InPlace } from "../../parts/typing/InPlace";
import { useEnvironments } from "../../state/run";

export type Rule = Shapes["DeliveryRule"];
export type RuleChange = Shapes["DeliveryRuleChange"];

const FORMS: { [form in Rule["form"]]: string } = {
  junit: "JUnit XML",
  json: "The JSON report",
  markdown: "A summary as Markdown",
};

interface Props {
  rule: Rule;
  project: string;
  /** A sentence says why it could not be. */
  change: (wanted: RuleChange) => Promise<string | undefined>;
  remove: () => void;
}

/** One rule as a sentence: what goes where, of which runs, with which key. */
export function DeliverySentence({ rule, project, change, remove }: Props) {
  const suites = useQuery(queries.suites(project)).data?.items ?? [];
  const environments = useEnvironments().data?.items ?? [];
  const of = `of ${rule.address}`;
  return (
    <li>
      <Choice
        label={`In which form ${of}`}
        value={rule.form}
        choices={Object.entries(FORMS)}
        choose={(form) => void change({ form: form as Rule["form"] })}
      />{" "}
      of{" "}
      <Choice
        label={`Which runs ${of}`}
        value={rule.bad ? "bad" : ""}
        choices={[
          ["", "every run"],
          ["bad", "runs that did not pass"],
        ]}
        choose={(bad) => void change({ bad: bad === "bad" })}
      />{" "}
      of{" "}
      <Choice
        label={`Which suite ${of}`}
        value={rule.suite}
        choices={[
          ["", "any suite"],
          ...suites.map((suite) => [suite.id, pathOf(suite, suites)] as [string, string]),
        ]}
        choose={(suite) => void change({ suite })}
      />{" "}
      against{" "}
      <Choice
        label={`Which environment ${of}`}
        value={rule.environment}
        choices={[
          ["", "any environment"],
          ...environments.map(({ name }) => [name, name] as [string, string]),
        ]}
        choose={(environment) => void change({ environment })}
      />{" "}
      goes to{" "}
      <InPlace
        text={rule.address}
        label={`Where results go: ${rule.address}`}
        save={(address) => change({ address: address.trim() })}
      >
        <span className="mono">{rule.address}</span>
      </InPlace>{" "}
      <InPlace
        text={rule.header}
        label={`The header of the key ${of}`}
        hint="Such as X-Key; empty: no key is sent."
        save={(header) => change({ header: header.trim() })}
      >
        {rule.header ? (
          <>
            with the key in <span className="mono">{rule.header}</span>
          </>
        ) : (
          <span className="add">+ a key</span>
        )}
      </InPlace>
      {rule.header && (
        <>
          {" "}
          <InPlace
            text=""
            label={`The key ${of}`}
            hint="It is kept encrypted, and shown to nobody again."
            save={(key) => (key ? change({ key }) : Promise.resolve(undefined))}
          >
            {rule.hasKey ? (
              <span className="muted">●●●</span>
            ) : (
              <span className="trouble">which is not given yet</span>
            )}
          </InPlace>
        </>
      )}
      .{" "}
      <button
        data-needs="edit"
        type="button"
        className="plain-link"
        aria-label={`Remove ${rule.address}`}
        onClick={remove}
      >
        Remove
      </button>
    </li>
  );
}
