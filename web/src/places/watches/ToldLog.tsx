import { api, type Shapes } from "../../api";
import { ago, count, duration, exactly } from "../../base/format";

type Message = Shapes["AlertMessage"];

interface Props {
  messages: Message[];
  told: (act: Promise<unknown>) => Promise<string | undefined>;
}

/** What people were told last, each with what came of it; it opens to the message and its tries. */
export function ToldLog({ messages, told }: Props) {
  if (!messages.length) return null;
  return (
    <section aria-label="What was told">
      <h2>What was told</h2>
      <ul className="told">
        {messages.map((one) => (
          <li key={one.id}>
            <span className="muted" title={exactly(one.at)}>
              {ago(one.at)}
            </span>
            <details>
              <summary>
                {one.subject} <span className="muted">by {one.route}</span>{" "}
                <span className={one.state === "delivered" ? "muted" : "trouble"}>{cameTo(one)}</span>
              </summary>
              <pre>{one.text}</pre>
              <ol>
                {one.tries.map((item) => (
                  <li key={item.at}>
                    <span title={exactly(item.at)}>{ago(item.at)}</span>: {item.said || "it was taken"}{" "}
                    <span className="muted">{duration(item.ms)}</span>
                  </li>
                ))}
              </ol>
            </details>
            <button
              type="button"
              className="plain-link"
              data-needs="edit"
              aria-label={`Send again: ${one.subject}`}
              onClick={() => void told(api.tellAgain(one.id))}
            >
              Send again
            </button>
          </li>
        ))}
      </ul>
    </section>
  );
}

function cameTo({ state, tries }: Message): string {
  const last = tries.at(-1);
  if (state === "delivered") return `arrived ${ago(last?.at)}`;
  if (state === "given up")
    return `given up after ${count(tries.length, "try", "tries")}: ${last?.said ?? ""}`;
  return last ? `${last.said}; it is tried again` : "is being sent";
}
