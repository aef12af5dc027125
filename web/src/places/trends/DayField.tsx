interface Props {
  label: string;
  /** `2026-11-30`; empty: none is chosen. */
  day: string;
  choose: (day: string) => void;
}

/** A day, chosen where it stands. */
export function DayField({ label, day, choose }: Props) {
  return (
    <input
      type="date"
      className="which-part"
      aria-label={label}
      value={day}
      onChange={(event) => event.target.value && choose(event.target.value)}
    />
  );
}
