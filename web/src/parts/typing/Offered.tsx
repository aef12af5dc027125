import { useEffect, useRef, useState } from "react";
import type { Insertable, Reference } from "./inserting";

const PAUSE_MS = 150;

interface Props {
  id: string;
  offered: Reference[];
  chosen: number;
  insert: (reference: Reference) => void;
}

/** Values by name, with what each was last and where it comes from. */
export function Offered({ id, offered, chosen, insert }: Props) {
  const picked = useRef<HTMLSpanElement>(null);
  // biome-ignore lint/correctness/useExhaustiveDependencies: keeps the chosen one in sight
  useEffect(() => {
    picked.current?.scrollIntoView({ block: "nearest" });
  }, [chosen]);
  return (
    <span className="suggestions" role="listbox" id={id} aria-label="Values that can be inserted">
      {offered.map((item, index) => (
        // biome-ignore lint/a11y/useFocusableInteractive: the field takes the keys
        <span
          key={`${item.name} ${item.from}`}
          id={`${id}-${index}`}
          ref={index === chosen ? picked : undefined}
          role="option"
          aria-selected={index === chosen}
          className={index === chosen ? "chosen" : undefined}
          onMouseDown={(event) => {
            event.preventDefault();
            insert(item);
          }}
        >
          <span className="reference">{item.name}</span> <span className="mono">{item.value}</span>{" "}
          <span className="muted small">{item.keep ? `will be kept from ${item.from}` : item.from}</span>
        </span>
      ))}
    </span>
  );
}

/** Places of earlier answers, pipes and generators for what is typed after `[=`. */
export function useOthers(insertable: Insertable | undefined, asked: string | undefined): Reference[] {
  const [found, setFound] = useState<Reference[]>([]);
  useEffect(() => {
    if (!insertable || asked === undefined) return setFound([]);
    let late = false;
    const timer = window.setTimeout(async () => {
      const [places, made] = await Promise.all([insertable.earlier(asked.trim()), insertable.made(asked)]);
      if (!late) setFound([...places.slice(0, 20), ...made]);
    }, PAUSE_MS);
    return () => {
      late = true;
      window.clearTimeout(timer);
    };
  }, [insertable, asked]);
  return asked === undefined ? [] : found;
}
