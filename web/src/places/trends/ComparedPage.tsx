import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Shapes } from "../../api";
import { queries } from "../../api/queries";
import { count, duration } from "../../base/format";
import { Notice } from "../../parts/Notice";
import { spanName } from "../../parts/overTime/time";
import { Segments } from "../../parts/Segments";
import { useTab } from "../../state/tab";
import { AgainstChoice } from "./AgainstChoice";
import { useAgainst, WAYS } from "./useAgainst";

type Compared = Shapes["ComparedTimes"];
/** What the two are called. */
type Sides = [before: string, after: string];

/** Two sets of runs held against each other: what these runs can show, and what they cannot. */
export function ComparedPage() {
  const chosen = useAgainst();
  const { project, against, way, pair, put, behind, ready } = chosen;
  const found = useQuery({ ...queries.comparedTimes(project?.id, against), enabled: ready });
  useTab("Compared");
  if (!project) return null;
  const compared = ready ? found.data : undefined;
  const sides: Sides = [pair?.before || "before", pair?.after || "after"];
  return (
    <div className="page trends-page">
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to={`/trends${behind}`}>Trends</Link> ▸ compared
          </p>
          <h1>{compared ? heading(compared) : "Compare"}</h1>
        </div>
      </div>
      <div className="look-choice">
        <Segments
          label="What is compared"
          value={way}
          options={[...WAYS]}
          choose={(next) => put({ compare: next })}
        />
        <AgainstChoice chosen={chosen} />
      </div>
      {found.error && <Notice sentence={found.error.message} retry={() => void found.refetch()} />}
      {compared && (
        <>
          <p className="muted">
            {side(compared.before)} against {side(compared.after)}. Each interval holds the true value in 95
            of 100; something is called a difference only if these runs show it, among all that is compared.
          </p>
          <Times compared={compared} search={behind} sides={sides} />
          <Cases compared={compared} sides={sides} />
        </>
      )}
    </div>
  );
}

function side(one: Compared["before"]): string {
  const span = spanName({ begin: Date.parse(one.from), end: Date.parse(one.to) });
  const build = one.build ? `build ${one.build}, ` : "";
  const runner = one.runner ? `${one.runner}, ` : "";
  return `${count(one.runs, "run")} (${build}${runner}${one.environment}, ${span})`;
}

function heading(compared: Compared): string {
  if (!compared.before.runs || !compared.after.runs) return "There are no runs on one of the sides";
  const slower = compared.times.filter((one) => one.clear && (one.ratio ?? 1) > 1).length;
  const quicker = compared.times.filter((one) => one.clear && (one.ratio ?? 1) < 1).length;
  const worse = compared.cases.filter((one) => one.clear && one.difference < 0).length;
  const better = compared.cases.filter((one) => one.clear && one.difference > 0).length;
  const parts = [
    slower && `${slower} slower`,
    quicker && `${quicker} quicker`,
    worse && `${count(worse, "case")} passing less often`,
    better && `${count(better, "case")} passing more often`,
  ].filter(Boolean);
  return parts.length ? parts.join(", ") : "No difference that these runs can show";
}

function Times({ compared, search, sides }: { compared: Compared; search: string; sides: Sides }) {
  const shown = compared.times.slice(0, 40);
  if (!shown.length)
    return (
      <p className="muted">Too few runs on one of the sides to compare times: five of each are needed.</p>
    );
  return (
    <section aria-label="Times compared">
      <h2>Times</h2>
      <table className="cycles">
        <thead>
          <tr>
            <th scope="col">what</th>
            <th scope="col">{sides[0]}</th>
            <th scope="col">{sides[1]}</th>
            <th scope="col">how much</th>
            <th scope="col">runs</th>
          </tr>
        </thead>
        <tbody>
          {shown.map((one) => (
            <tr key={one.id}>
              <td>
                <Link to={`/trends/${one.id}${search}`}>{one.name}</Link>{" "}
                <span className="muted">{one.kind === "step" ? one.owner?.name : one.kind}</span>
              </td>
              <td className="number">{duration(one.before)}</td>
              <td className="number">{duration(one.after)}</td>
              <td className={one.clear ? ((one.ratio ?? 1) > 1 ? "slower" : "quicker") : "muted"}>
                {howMuch(one)}
              </td>
              <td className="number">{one.runs.join(" / ")}</td>
            </tr>
          ))}
        </tbody>
      </table>
    </section>
  );
}

/** "+12 %", and "−0.4 %" of what is less than one. */
function percent(ratio: number): string {
  const change = Math.abs(100 * (ratio - 1));
  return `${ratio >= 1 ? "+" : "−"}${change.toFixed(change < 1 ? 1 : 0)} %`;
}

function howMuch(one: Shapes["ComparedSeries"]): string {
  if (one.low === null || one.high === null || one.ratio === null) return "too few runs to say";
  const between = `between ${percent(one.low)} and ${percent(one.high)}`;
  if (one.clear) return `${percent(one.ratio)}, ${between}`;
  return unclear(between, one.low > 1 || one.high < 1);
}

/** One interval alone would show it, and so much is compared that one may by chance. */
function unclear(between: string, alone: boolean): string {
  return alone
    ? `perhaps: ${between}, not clear among all that is compared`
    : `no difference that these runs can show (${between})`;
}

function Cases({ compared, sides }: { compared: Compared; sides: Sides }) {
  const shown = compared.cases.filter((one) => one.clear || one.difference !== 0).slice(0, 40);
  const alike = compared.cases.length - shown.length;
  return (
    <section aria-label="Cases compared">
      <h2>Cases</h2>
      {shown.length > 0 && (
        <table className="cycles">
          <thead>
            <tr>
              <th scope="col">case</th>
              <th scope="col">passed {sides[0]}</th>
              <th scope="col">{sides[1]}</th>
              <th scope="col">how much</th>
            </tr>
          </thead>
          <tbody>
            {shown.map((one) => (
              <tr key={one.id}>
                <td>
                  <Link to={`/cases/${one.id}/runs`}>{one.name}</Link>
                </td>
                <td className="number">{`${one.passed[0]} of ${one.runs[0]}`}</td>
                <td className="number">{`${one.passed[1]} of ${one.runs[1]}`}</td>
                <td className={one.clear ? (one.difference < 0 ? "slower" : "quicker") : "muted"}>
                  {share(one)}
                </td>
              </tr>
            ))}
          </tbody>
        </table>
      )}
      {alike > 0 && <p className="muted small">{count(alike, "case")} passed as often on both sides.</p>}
    </section>
  );
}

function share(one: Shapes["ComparedShare"]): string {
  const points = (value: number) => `${value >= 0 ? "+" : "−"}${Math.abs(100 * value).toFixed(0)}`;
  const between = `between ${points(one.low)} and ${points(one.high)} in 100`;
  if (one.clear) return `${points(one.difference)} in 100, ${between}`;
  return unclear(between, one.low > 0 || one.high < 0);
}
