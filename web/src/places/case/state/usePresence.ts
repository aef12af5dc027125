import { useEffect, useMemo, useRef, useState } from "react";
import { api, type Other } from "../../../api";

const EVERY_MS = 5000;

/** Says every few seconds that this tab has the case open, and at which step; gives who else has. */
export function usePresence(id: string, step: string | undefined): Other[] {
  const tab = useMemo(() => crypto.randomUUID(), []);
  const [others, setOthers] = useState<Other[]>([]);
  const at = useRef("");
  at.current = step ?? "";
  // biome-ignore lint/correctness/useExhaustiveDependencies: says it at once for another step
  useEffect(() => {
    let gone = false;
    const say = async () => {
      const answer = await api.present(id, tab, at.current).catch(() => undefined);
      if (gone || !answer) return;
      setOthers((before) =>
        JSON.stringify(before) === JSON.stringify(answer.others) ? before : answer.others,
      );
    };
    void say();
    const timer = window.setInterval(() => void say(), EVERY_MS);
    return () => {
      gone = true;
      window.clearInterval(timer);
    };
  }, [id, tab, step]);
  useEffect(() => {
    const leave = () => void api.present(id, tab, "", true).catch(() => undefined);
    window.addEventListener("pagehide", leave);
    return () => {
      window.removeEventListener("pagehide", leave);
      leave();
    };
  }, [id, tab]);
  return others;
}
