interface Props {
  label: string;
  value: string;
  write: (value: string) => void;
  fill: "current-password" | "new-password" | "one-time-code";
}

/** A password or a code within a page. */
export function SecretField({ label, value, write, fill }: Props) {
  return (
    <label>
      {label}{" "}
      <input
        type={fill === "one-time-code" ? "text" : "password"}
        inputMode={fill === "one-time-code" ? "numeric" : undefined}
        autoComplete={fill}
        value={value}
        onChange={(event) => write(event.target.value)}
      />
    </label>
  );
}
