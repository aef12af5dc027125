import { useRef } from "react";

/** Carries out what is asked for one after the other, in the order in which it was asked for. */
export function useOneByOne(): <Result>(work: () => Promise<Result>) => Promise<Result> {
  const last = useRef<Promise<unknown>>(Promise.resolve());
  return useRef(<Result>(work: () => Promise<Result>) => {
    const next = last.current.then(work, work);
    last.current = next.catch(() => undefined);
    return next;
  }).current;
}
