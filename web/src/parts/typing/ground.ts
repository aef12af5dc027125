import { useRef } from "react";
import type { Draft } from "./drafts";

export interface Ground {
  /** What the field began with. */
  begun: () => string;
  /** Whether it is as it began, or as it stands there anyhow: then there is nothing to keep. */
  untouched: (typed: string) => boolean;
  /** Whether it was changed elsewhere meanwhile, otherwise than here: then a person says which one stands. */
  clashes: (typed: string) => boolean;
  /** What stands there now is what the field goes on from. */
  goOn: () => void;
  /** What stands there has become otherwise. Whether the field is to show that: only where nothing was typed. What was typed and stands there
   * now has been kept, by whomever; if it goes again (the keeping was refused after all), it is typed as before. */
  changed: (typed: string) => boolean;
}

/** What stands where a field is open, and what stood there when it was opened. */
export function useGround(text: string, draft: Draft): Ground {
  const first = useRef(draft.ground ?? text);
  const begun = useRef(first.current);
  const now = useRef(text);
  now.current = text;
  return useRef<Ground>({
    begun: () => begun.current,
    untouched: (typed) => typed === begun.current || typed === now.current,
    clashes: (typed) => now.current !== begun.current && typed !== begun.current && typed !== now.current,
    goOn: () => {
      first.current = begun.current = now.current;
    },
    changed: (typed) => {
      const shown = typed === first.current;
      if (shown) first.current = now.current;
      begun.current = typed === now.current ? now.current : first.current;
      return shown;
    },
  }).current;
}
