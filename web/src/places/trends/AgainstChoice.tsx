import { Choice } from "../../parts/Choice";
import { Segments } from "../../parts/Segments";
import { DayField } from "./DayField";
import type { ChosenAgainst } from "./useAgainst";
import { OVER } from "./useLook";

/** The two sides, as a sentence. */
export function AgainstChoice({ chosen }: { chosen: ChosenAgainst }) {
  const { way, pair, over, put, days } = chosen;
  if (way === "the time before")
    return (
      <Segments
        label="How long up to now"
        value={over}
        options={Object.keys(OVER)}
        choose={(next) => put({ over: next }, ["from", "to"])}
      />
    );
  if (way === "two times") {
    const field = (label: string, which: keyof typeof days) => (
      <DayField label={label} day={days[which]} choose={(day) => put({ [which]: day })} />
    );
    return (
      <span className="two-times">
        {field("The first day before", "beforeFrom")} to {field("The last day before", "beforeTo")} against{" "}
        {field("The first day after", "afterFrom")} to {field("The last day after", "afterTo")}
      </span>
    );
  }
  if (!pair) return null;
  if (pair.names.length < 2) return <span className="muted">{pair.only}</span>;
  const side = (label: string, value: string, name: string) => (
    <Choice
      label={label}
      value={value}
      choices={pair.names.map((one): [string, string] => [one, one])}
      choose={(wanted) => put({ [name]: wanted })}
      needs="read"
    />
  );
  return (
    <span>
      {pair.what} {side(`The ${pair.word} before`, pair.before, pair.against)} against{" "}
      {side(`The ${pair.word} after`, pair.after, pair.own)}
    </span>
  );
}
