import { useQuery } from "@tanstack/react-query";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { count, whole } from "../../base/format";
import { WouldNotice } from "../../parts/WouldNotice";

type Check = Shapes["CheckRecord"];

interface Props {
  id: string;
  name: string;
  /** Only of runs against it; empty: of all. */
  environment: string;
}

/** How often each check of a case failed: whether it still checks something. */
export function ItsChecks({ id, name, environment }: Props) {
  const found = useQuery(queries.checkRecords(id, environment));
  const checks = found.data?.items ?? [];
  if (found.error) return <p className="trouble">{found.error.message}</p>;
  if (!checks.length) return null;
  const steps = [...new Set(checks.map(({ step }) => step))].map((step) =>
    checks.filter((one) => one.step === step),
  );
  return (
    <section aria-label="Its checks" className="its-checks">
      <details>
        <summary>{sentence(checks)}</summary>
        <ul>
          {steps.map((mine) => (
            <li key={mine[0]?.step}>
              <span className="muted">{mine[0]?.name}</span>
              <ul>
                {mine.map((one) => (
                  <li key={one.check} className="check-record">
                    <span>{one.check}</span>
                    <span className={one.failed ? "slower" : "muted"}>{record(one)}</span>
                  </li>
                ))}
              </ul>
            </li>
          ))}
        </ul>
      </details>
      <div className="muted">
        Would it notice if an answer were otherwise? One value after another is turned round in the answers
        that were kept; nothing is sent. <WouldNotice id={id} name={name} />
      </div>
    </section>
  );
}

/** "11 of its 13 checks never failed, in up to 96 runs": the newest of which evidence is kept. */
function sentence(checks: Check[]): string {
  const never = checks.filter(({ failed }) => !failed).length;
  const runs = Math.max(...checks.map((one) => one.runs));
  const most = `in ${runs > 1 ? "up to " : ""}${count(runs, "run")} of which evidence is kept`;
  if (never === checks.length) {
    if (never === 1) return `Its one check never failed, ${most}.`;
    return `None of its ${whole(never)} checks ever failed, ${most}.`;
  }
  return `${whole(never)} of its ${count(checks.length, "check")} never failed, ${most}.`;
}

function record({ runs, failed }: Check): string {
  return failed
    ? `failed in ${whole(failed)} of ${count(runs, "run")}`
    : `never failed in ${count(runs, "run")}`;
}
