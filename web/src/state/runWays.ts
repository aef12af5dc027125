import { useCallback, useState } from "react";
import type { RunWays } from "../parts/HowItGoes";

const STORED = "saltpath how runs go";
const USUAL: RunWays = { jobs: 1, stopAfter: 0, waitUntilUp: 0, upAt: "" };

/** As this browser has last chosen it. */
export function useRunWays(): [RunWays, (change: Partial<RunWays>) => void] {
  const [ways, setWays] = useState(stored);
  const change = useCallback((changed: Partial<RunWays>) => {
    setWays((before) => {
      const next = { ...before, ...changed };
      localStorage.setItem(STORED, JSON.stringify(next));
      return next;
    });
  }, []);
  return [ways, change];
}

/** What somebody else has left there is read for what it holds of numbers. */
function stored(): RunWays {
  const read = (): Record<string, unknown> => {
    try {
      return (JSON.parse(localStorage.getItem(STORED) ?? "{}") as Record<string, unknown> | null) ?? {};
    } catch {
      return {};
    }
  };
  const found = read();
  const number = (name: "jobs" | "stopAfter" | "waitUntilUp", least: number, most: number) => {
    const value = found[name];
    const fits = typeof value === "number" && Number.isInteger(value) && value >= least && value <= most;
    return fits ? value : USUAL[name];
  };
  return {
    jobs: number("jobs", 1, 64),
    stopAfter: number("stopAfter", 0, 1000),
    waitUntilUp: number("waitUntilUp", 0, 3600),
    upAt: typeof found.upAt === "string" ? found.upAt.slice(0, 2000) : "",
  };
}
