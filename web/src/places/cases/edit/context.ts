import { createContext, useContext } from "react";
import type { Reference } from "./references";
import type { Edits } from "./useEditing";

export interface EditedCase {
  id: string;
  editing: Edits;
  /** What a step of this number can insert. */
  references: (before: number) => Reference[];
}

export const EditContext = createContext<EditedCase | undefined>(undefined);

/** The case that the cards edit. */
export function useEdited(): EditedCase {
  const edited = useContext(EditContext);
  if (!edited) throw new Error("a card is edited outside a case");
  return edited;
}
