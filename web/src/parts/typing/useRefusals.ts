import { type RefObject, useEffect, useRef, useState } from "react";
import type { Refusal } from "./Refused";

const IDLE_MS = 500;

/** The refusals of a field that is emptied for the next text. Once nobody types, one comes back into the field where that is empty; else it
 * waits beside it. It never comes back between two keys of what is being typed. `now`: what is typed at the moment. */
export function useRefusals(now: RefObject<string>, write: (typed: string, why: string) => void) {
  const [refused, setRefused] = useState<Refusal[]>([]);
  const keyed = useRef(0);
  useEffect(() => {
    const note = () => {
      keyed.current = performance.now();
    };
    document.addEventListener("keydown", note, true);
    return () => document.removeEventListener("keydown", note, true);
  }, []);
  const letGo = (refusal: Refusal) => setRefused((all) => all.filter((item) => item.typed !== refusal.typed));
  const latest = useRef(write);
  latest.current = write;
  const refuse = (refusal: Refusal) => {
    const waited = performance.now() - keyed.current;
    if (waited < IDLE_MS) window.setTimeout(() => refuse(refusal), IDLE_MS - waited);
    else if (!now.current) latest.current(refusal.typed, refusal.sentence);
    else setRefused((all) => [...all.filter((item) => item.typed !== refusal.typed), refusal]);
  };
  const putBack = (refusal: Refusal) => {
    letGo(refusal);
    write([refusal.typed, now.current].filter(Boolean).join(" "), refusal.sentence);
  };
  return [refused, refuse, { putBack, letGo }] as const;
}
