import { type RefObject, useState } from "react";
import type { Refusal } from "./Refused";

/** The refusals of a field that is emptied for the next text: one comes back into the field where that is empty still, else it waits beside it.
 * `now`: what is typed at the moment. */
export function useRefusals(now: RefObject<string>, write: (typed: string, why: string) => void) {
  const [refused, setRefused] = useState<Refusal[]>([]);
  const letGo = (refusal: Refusal) => setRefused((all) => all.filter((item) => item.typed !== refusal.typed));
  const refuse = (refusal: Refusal) => {
    if (now.current && now.current !== refusal.typed)
      setRefused((all) => [...all.filter((item) => item.typed !== refusal.typed), refusal]);
    else write(refusal.typed, refusal.sentence);
  };
  const putBack = (refusal: Refusal) => {
    letGo(refusal);
    write([refusal.typed, now.current].filter(Boolean).join(" "), refusal.sentence);
  };
  return [refused, refuse, { putBack, letGo }] as const;
}
