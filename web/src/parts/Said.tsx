import { createContext, type ReactNode, useCallback, useContext, useEffect, useState } from "react";

const STAYS_MS = 8000;

const Saying = createContext<(sentence: string) => void>(() => undefined);

/** Tells what could not be done where no better place is: over the page, until it is read or put away. */
export const useSay = () => useContext(Saying);

export function SaidProvider({ children }: { children: ReactNode }) {
  const [said, setSaid] = useState<{ sentence: string; number: number }>();
  const say = useCallback(
    (sentence: string) => setSaid((before) => ({ sentence, number: (before?.number ?? 0) + 1 })),
    [],
  );
  useEffect(() => {
    if (!said) return;
    const timer = window.setTimeout(() => setSaid(undefined), STAYS_MS);
    return () => window.clearTimeout(timer);
  }, [said]);
  return (
    <Saying.Provider value={say}>
      {children}
      {said && (
        <div className="said-over" role="alert" key={said.number}>
          <p>
            {said.sentence}{" "}
            <button type="button" className="plain-link" onClick={() => setSaid(undefined)}>
              Well
            </button>
          </p>
        </div>
      )}
    </Saying.Provider>
  );
}
