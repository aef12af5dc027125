import type { Right } from "../api";
import { useMay } from "../api/may";

interface Props {
  label: string;
  value: string;
  choices: [string, string][];
  choose: (value: string) => void;
  /** Who may not choose reads what is chosen. */
  needs?: Right;
}

/** A part of the sentence that is one of a few. What is chosen and no more there stays visible. */
export function Choice({ label, value, choices, choose, needs = "edit" }: Props) {
  const may = useMay(needs);
  const known = choices.some(([key]) => key === value);
  if (!may) return <>{choices.find(([key]) => key === value)?.[1] ?? "one that is gone"}</>;
  return (
    <select
      className="which-part"
      aria-label={label}
      value={value}
      onChange={(event) => choose(event.target.value)}
    >
      {!known && <option value={value}>one that is gone</option>}
      {choices.map(([key, name]) => (
        <option key={key} value={key}>
          {name}
        </option>
      ))}
    </select>
  );
}
