import { Link } from "react-router";
import { api, type Shapes } from "../../api";
import { ago, count, duration, exactly } from "../../base/format";

type Sent = Shapes["Delivery"];

interface Props {
  sent: Sent[];
  rules: Shapes["DeliveryRule"][];
  told: (act: Promise<unknown>) => Promise<string | undefined>;
}

/** The last deliveries, each with what came of it; it opens to its tries. */
export function DeliveryLog({ sent, rules, told }: Props) {
  if (!sent.length) return null;
  return (
    <ul className="delivery-log">
      {sent.map((one) => (
        <li key={one.id}>
          <Link to={`/runs/${one.run}`}>run {one.number}</Link>
          <details>
            <summary>
              {one.title}{" "}
              <span className={one.state === "delivered" ? "muted" : "trouble"}>{cameTo(one)}</span>{" "}
              <span className="muted">
                {rules.find((rule) => rule.id === one.rule)?.address ?? "an address that was removed"}
              </span>
            </summary>
            <ol>
              {one.tries.map((item) => (
                <li key={item.at}>
                  <span title={exactly(item.at)}>{ago(item.at)}</span>:{" "}
                  {item.said || `it answered ${item.status}`}{" "}
                  <span className="muted">{duration(item.ms)}</span>
                </li>
              ))}
            </ol>
          </details>
          <button
            data-needs="run"
            type="button"
            className="plain-link"
            aria-label={`Send again run ${one.number}`}
            onClick={() => void told(api.sendAgain(one.id))}
          >
            Send again
          </button>
        </li>
      ))}
    </ul>
  );
}

function cameTo({ state, tries, due }: Sent): string {
  const last = tries.at(-1);
  if (state === "delivered")
    return tries.length > 1
      ? `arrived ${ago(last?.at)}, at the ${ordinal(tries.length)} try`
      : `arrived ${ago(last?.at)}`;
  if (state === "given up")
    return `given up after ${count(tries.length, "try", "tries")}: ${last?.said ?? ""}`;
  if (!last) return "is being sent";
  return `${last.said}; it is tried again ${soon(due)}`;
}

function soon(due: string | null): string {
  const ms = due ? Date.parse(due) - Date.now() : 0;
  return ms < 5_000 ? "now" : `in ${duration(1_000 * Math.round(ms / 1_000))}`;
}

const ordinal = (number: number): string => {
  const last = number % 100 > 10 && number % 100 < 14 ? 0 : number % 10;
  return `${number}${["th", "st", "nd", "rd"][last] ?? "th"}`;
};
