import { useId } from "react";

interface Props<Value extends string> {
  label: string;
  value: Value;
  options: readonly Value[];
  choose: (value: Value) => void;
}

/** One of a few, side by side; arrows go from one to the next. */
export function Segments<Value extends string>({ label, value, options, choose }: Props<Value>) {
  const name = useId();
  return (
    <div className="segments" role="radiogroup" aria-label={label}>
      {options.map((option) => (
        <label key={option} className={option === value ? "chosen" : undefined}>
          <input type="radio" name={name} checked={option === value} onChange={() => choose(option)} />
          {option}
        </label>
      ))}
    </div>
  );
}
