import { createContext, useContext, useMemo } from "react";
import { api, type EveryAnswer } from "../../../api";
import { setKeep, stepWith } from "../../../case/document";
import { keptAs, takenNames } from "../../../case/handover";
import { proposeName } from "../../../case/naming";
import type { Picked } from "../../../parts/tree/picked";
import type { Insertable, Reference } from "../../../parts/typing/inserting";
import type { Edits } from "./useEditing";

/** A node of an answer on its way into a later step. */
export interface Dragged {
  from: string;
  number: number;
  picked: Picked;
}

export interface EditedCase {
  id: string;
  /** A request that belongs to no case. */
  single: boolean;
  /** Shared steps rather than a case. */
  shared: boolean;
  editing: Edits;
  /** What a step of this number can insert. */
  references: (before: number) => Reference[];
  /** Open the step with this key. */
  choose: (key: string) => void;
  /** For a step that is yet to be made (see useStepInFocus.ts). */
  openLater: () => (key: string) => void;
}

export const EditContext = createContext<EditedCase | undefined>(undefined);
/** The checks on every answer that reach the case: the project's, the suite's, its own. */
export const EveryContext = createContext<EveryAnswer[]>([]);
export const DragContext = createContext<Dragged | undefined>(undefined);

/** The case that the cards edit. */
export function useEdited(): EditedCase {
  const edited = useContext(EditContext);
  if (!edited) throw new Error("a card is edited outside a case");
  return edited;
}

/** What the step with this number and key can insert; without a key, a step at the end. */
export function useInsertable(number: number, key = ""): Insertable {
  const { id, editing, references } = useEdited();
  return useMemo(
    () => ({
      get known() {
        return references(number);
      },
      made: async (text) => {
        const found = await api.insertable(id, key, text).catch(() => undefined);
        return (found?.items ?? []).map((item) => ({
          name: item.text,
          value: item.value,
          from: item.about,
          made: item.made,
        }));
      },
      earlier: async (text) => {
        if (text.includes("|")) return [];
        const found = await api.places(id, key, text).catch(() => undefined);
        return (found?.items ?? []).flatMap((item) => {
          const step = stepWith(editing.document, item.step);
          if (!step || keptAs(step, item.path)) return [];
          const name = proposeName(item.path, String(step.send), takenNames(editing.document));
          const keep = { step: item.step, path: item.path };
          return [
            { name, from: `${item.path} of step ${item.number}`, value: item.value, keep },
          ] satisfies Reference[];
        });
      },
      keeping: (taken, save) =>
        editing.together(
          taken.flatMap(({ name, keep }) => (keep ? [setKeep(keep.step, name, keep.path)] : [])),
          save,
        ),
    }),
    [id, editing, references, number, key],
  );
}
