import { Fragment, useState } from "react";
import type { Exchange, StepEvidence } from "../api";
import { duration, size } from "../base/format";
import { ExchangeView, isLookUp, VIEWS, type View } from "./ExchangeView";
import { Segments } from "./Segments";
import type { Acts } from "./tree/picked";
import type { Namespaces } from "./tree/xml";
import type { Keeps } from "./watching";

const NONE: Namespaces = [];

interface Props {
  step: StepEvidence;
  /** The run that it is of; another one's is shown in the view that was chosen. */
  run?: string;
  about?: React.ReactNode;
  keeps?: Keeps;
  /** What can be made of a node of the answer. */
  acts?: Acts;
  /** The prefixes that the step's XPaths may use besides the answer's own. */
  namespaces?: Namespaces;
  /** What is said of a place that nothing watches: that it varies. */
  loose?: (path: string) => string | undefined;
}

/** What one step saw: the exchange that was judged, in five views. Redirects and resent requests can be chosen too. */
export function Evidence(props: Props) {
  const [view, setView] = useState<View>("Tree");
  return <Viewed key={props.run} {...props} view={view} setView={setView} />;
}

interface ViewedProps extends Props {
  view: View;
  setView: (view: View) => void;
}

function Viewed({ step, about, keeps, acts, loose, namespaces = NONE, view, setView }: ViewedProps) {
  const [hop, setHop] = useState<number>();
  const [pointed, setPointed] = useState({ subject: "", times: 0 });
  const last = step.exchanges.length - 1;
  const exchange = step.exchanges[Math.min(hop ?? last, last)];
  if (!exchange) return <p className="muted pad">{step.why?.sentence ?? "Nothing was sent in this step."}</p>;
  const facts = [
    ["status", outcome(exchange)],
    ["time", duration(exchange.times.total)],
    ["size", size(exchange.size)],
  ].filter(([, shown]) => shown);
  const pointable = acts && exchange.status > 0;
  return (
    <>
      <div className="evidence-head">
        <h2>Evidence</h2>
        <span className="muted">
          {about} {about && "· "}
          {facts.map(([subject = "", shown], number) => (
            <Fragment key={subject}>
              {number > 0 && " · "}
              {pointable ? (
                <button
                  type="button"
                  className="fact-link"
                  title={`What to make of the ${subject}`}
                  onClick={() => {
                    setView("Headers");
                    setPointed({ subject, times: pointed.times + 1 });
                  }}
                >
                  {shown}
                </button>
              ) : (
                shown
              )}
            </Fragment>
          ))}
        </span>
        <Segments
          label="How to show the exchange"
          value={view}
          options={VIEWS}
          choose={(next) => {
            setView(next);
            setPointed({ subject: "", times: 0 });
          }}
        />
      </div>
      {step.exchanges.length > 1 && (
        <div className="hops">
          {step.exchanges.map((item, number) => (
            <button
              type="button"
              key={item.id}
              aria-pressed={item === exchange}
              className={item === exchange ? "hop chosen" : "hop"}
              onClick={() => setHop(number)}
            >
              {number + 1}. {outcome(item)}
            </button>
          ))}
        </div>
      )}
      {exchange.why && (
        <p className="blocked-note" role="note">
          {exchange.why.sentence}
        </p>
      )}
      {exchange.resent && (
        <p className="blocked-note">The connection had died, and the request was sent twice.</p>
      )}
      <ExchangeView
        view={view}
        pointed={pointed}
        exchange={exchange}
        step={step}
        keeps={keeps}
        acts={acts}
        loose={loose}
        namespaces={namespaces}
      />
    </>
  );
}

function outcome(exchange: Exchange): string {
  if (isLookUp(exchange)) return exchange.why ? "" : "looked up";
  return String(exchange.status || "no answer");
}
