import type { Shapes } from "../../api";
import { listed } from "../../base/format";
import { Choice } from "../../parts/Choice";
import { InPlace } from "../../parts/typing/InPlace";
import { Muting } from "./Muting";
import { Daily } from "./RouteDaily";

export type Route = Shapes["Route"];
export type RouteChange = Shapes["RouteChange"];

interface Props {
  route: Route;
  /** The names of the other routes. */
  others: string[];
  /** A sentence says why it could not be. */
  change: (wanted: RouteChange) => Promise<string | undefined>;
  test: () => void;
  /** For so many minutes; 0: no longer. */
  mute: (minutes: number) => void;
  remove: () => void;
}

export const parts = (text: string) =>
  text
    .split(",")
    .map((part) => part.trim())
    .filter(Boolean);

/** One route as a sentence: its name, whom it tells and how, when it may be used, and who is told then. */
export function RouteSentence({ route, others, change, test, mute, remove }: Props) {
  const { name } = route;
  return (
    <li className="route">
      <strong>
        <InPlace text={name} label={`What the route ${name} is called`} save={(to) => change({ name: to })}>
          {name}
        </InPlace>
      </strong>
      :{" "}
      {route.kind === "mail" ? (
        <Mail route={route} change={change} />
      ) : (
        <Hook route={route} change={change} />
      )}
      ,{" "}
      <InPlace
        text={route.hours.join(", ")}
        label={`When the route ${name} may be used`}
        hint="Such as 07:00 to 22:00 on weekdays; empty: always. What is held back is told after."
        save={(hours) => change({ hours: hours.trim() ? [hours.trim()] : [] })}
      >
        {route.hours.join(" and ") || "always"}
      </InPlace>
      , of{" "}
      <Choice
        label={`What the route ${name} tells of`}
        value={route.onlyUrgent ? "urgent" : "all"}
        choices={[
          ["all", "all trouble"],
          ["urgent", "what is urgent"],
        ]}
        choose={(what) => void change({ onlyUrgent: what === "urgent" })}
      />{" "}
      of watches that name it{route.tags.length > 0 && " or have"}{" "}
      <InPlace
        text={route.tags.join(", ")}
        label={`The tags that ${name} tells of`}
        hint="With commas between them. It tells of watches with one of these tags, whatever routes they name."
        save={(tags) => change({ tags: parts(tags) })}
      >
        {route.tags.length ? `the tag ${route.tags.join(" or ")}` : <span className="add small">+ tags</span>}
      </InPlace>
      ; when nobody has taken it after{" "}
      <InPlace
        text={route.thenAfter}
        label={`After how long another route than ${name} is used`}
        hint="Such as 15 min"
        save={(thenAfter) => change({ thenAfter })}
      >
        {route.thenAfter}
      </InPlace>
      ,{" "}
      <Choice
        label={`Which route comes after ${name}`}
        value={route.then}
        choices={[["", "nobody else"], ...others.map((one) => [one, one] as [string, string])]}
        choose={(then) => void change({ then })}
      />
      . <Daily route={route} change={change} />{" "}
      <span className="muted">
        {route.toldOf.length ? `Told of ${listed(route.toldOf)}.` : "No watch names it yet."}{" "}
        <Muting how="by it" name={name} muted={route.muted} mute={mute} />
      </span>{" "}
      <button
        type="button"
        className="plain-link"
        data-needs="edit"
        aria-label={`Test ${name}`}
        onClick={test}
      >
        Test
      </button>{" "}
      <button
        type="button"
        className="plain-link"
        data-needs="edit"
        aria-label={`Take away ${name}`}
        onClick={remove}
      >
        Take away
      </button>
    </li>
  );
}

type Part = Pick<Props, "route" | "change">;

function Mail({ route, change }: Part) {
  const { name } = route;
  return (
    <>
      mail to{" "}
      <InPlace
        text={route.to.join(", ")}
        label={`Whom the route ${name} tells`}
        save={(to) => change({ to: parts(to) })}
      >
        {listed(route.to)}
      </InPlace>{" "}
      from{" "}
      <InPlace
        text={route.sender}
        label={`From whom mails of ${name} come`}
        save={(sender) => change({ sender })}
      >
        {route.sender}
      </InPlace>
      , by{" "}
      <InPlace text={route.server} label={`The mail server of ${name}`} save={(server) => change({ server })}>
        <span className="mono">{route.server}</span>
      </InPlace>{" "}
      <Choice
        label={`How ${name} speaks to the mail server`}
        value={route.security}
        choices={[
          ["starttls", "with STARTTLS"],
          ["tls", "with TLS"],
          ["none", "without encryption"],
        ]}
        choose={(security) => void change({ security: security as Route["security"] })}
      />
      , signed in as{" "}
      <InPlace
        text={route.user}
        label={`Who signs in for ${name}`}
        hint="Empty: nobody."
        save={(user) => change({ user })}
      >
        {route.user || "nobody"}
      </InPlace>{" "}
      <Secret route={route} change={change} what="password" />
    </>
  );
}

function Hook({ route, change }: Part) {
  const { name } = route;
  return (
    <>
      a webhook to{" "}
      <InPlace
        text={route.address}
        label={`Where the route ${name} goes`}
        save={(address) => change({ address })}
      >
        <span className="mono">{route.address}</span>
      </InPlace>{" "}
      with{" "}
      <InPlace
        text={route.template}
        label={`The JSON that ${name} sends`}
        lines
        hint='Such as {"text": "{text}"}; it may name {sentence}, {text}, {link}, {state} and {watches}. Empty: all that is known.'
        save={(template) => change({ template })}
      >
        {route.template ? <span className="mono">{route.template}</span> : "all that is known, as JSON"}
      </InPlace>
      , <Secret route={route} change={change} what="key that signs" />
    </>
  );
}

function Secret({ route, change, what }: Part & { what: string }) {
  return (
    <InPlace
      text=""
      label={`The ${what} of ${route.name}`}
      hint="It is stored encrypted and shown nowhere again; empty: none."
      always
      save={(secret) => change({ secret })}
    >
      {route.hasSecret ? `with its ${what}` : <span className="add small">+ {what}</span>}
    </InPlace>
  );
}
