import { useEffect, useState } from "react";
import { api } from "../../../api";
import { fitting } from "../../../parts/typing/inserting";
import { useEdited } from "../state/context";

const PAUSE_MS = 120;

/** What can stand in the reference that is open at the end of the sentence: values, pipes behind a bar, generators. */
export function useReferences(step: string, asked: string | undefined): string[] {
  const { id, references } = useEdited();
  const [found, setFound] = useState<string[]>([]);
  useEffect(() => {
    if (asked === undefined) return setFound([]);
    let late = false;
    const timer = window.setTimeout(async () => {
      const known = fitting(`[=${asked}`, asked.length + 2, references(Number.POSITIVE_INFINITY));
      const made = await api.insertable(id, step, asked).catch(() => undefined);
      if (!late)
        setFound([...known.map((item) => item.name), ...(made?.items ?? []).map((item) => item.text)]);
    }, PAUSE_MS);
    return () => {
      late = true;
      window.clearTimeout(timer);
    };
  }, [id, step, asked, references]);
  return asked === undefined ? [] : found;
}
