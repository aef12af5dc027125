import { type ChangeEvent, type KeyboardEvent, useRef } from "react";

interface Props {
  label: string;
  typed: string;
  lines?: boolean;
  change: (typed: string | undefined) => void;
  write: (text: string) => void;
  /** To the cell below after Enter, beside after Tab. */
  go: (down: number, right: number) => void;
}

/** The field of a cell that is typed into: Enter and Tab keep the text, Escape leaves the cell as it was. */
export function CellField({ label, typed, lines = false, change, write, go }: Props) {
  const done = useRef(false);
  const Cell = lines ? "textarea" : "input";
  const take = () => {
    if (done.current) return;
    done.current = true;
    write(typed);
  };
  return (
    <Cell
      autoFocus
      aria-label={label}
      title={lines ? "Alt Enter begins a new line" : undefined}
      value={typed}
      onChange={(event: ChangeEvent<HTMLInputElement | HTMLTextAreaElement>) => change(event.target.value)}
      onBlur={take}
      onKeyDown={(event: KeyboardEvent) => {
        event.stopPropagation();
        if (lines && event.altKey && event.key === "Enter") return change(`${typed}\n`);
        if (event.key === "Escape") {
          done.current = true;
          change(undefined);
        } else if (event.key === "Enter" || event.key === "Tab") {
          event.preventDefault();
          take();
          if (event.key === "Enter") go(1, 0);
          else go(0, event.shiftKey ? -1 : 1);
        }
      }}
    />
  );
}
