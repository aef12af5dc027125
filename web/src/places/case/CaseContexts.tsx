import { type ReactNode, useMemo, useRef } from "react";
import type { Case, StepEvidence } from "../../api";
import { placesIn, referencesFor } from "../../case/references";
import { KnownContext } from "../../parts/known";
import { WhereContext } from "../../parts/typing/drafts";
import type { Reference } from "../../parts/typing/inserting";
import { SignInContext } from "./edit/SignIn";
import { DragContext, type Dragged, EditContext, EveryContext } from "./state/context";
import type { Edits } from "./state/useEditing";

interface Props {
  of: Case;
  editing: Edits;
  steps: Map<string, StepEvidence>;
  dragged: Dragged | undefined;
  /** Open the step with this key. */
  choose: (key: string) => void;
  openLater: () => (key: string) => void;
  children: ReactNode;
}

/** What every card of a case can ask for, wherever it stands: the case and its edits, what is dragged, what reaches it from around. */
export function CaseContexts({ of, editing, steps, dragged, choose, openLater, children }: Props) {
  const known = useRef<(before: number) => Reference[]>(() => []);
  known.current = (before) => referencesFor(of, steps, before);
  const edited = useMemo(
    () => ({
      id: of.id,
      single: of.single,
      shared: Boolean(of.shared),
      editing,
      references: (before: number) => known.current(before),
      choose,
      openLater,
    }),
    [of.id, of.single, of.shared, editing, choose, openLater],
  );
  const places = useMemo(() => placesIn(of), [of]);
  return (
    <EditContext.Provider value={edited}>
      <DragContext.Provider value={dragged}>
        <WhereContext.Provider value={of.id}>
          <KnownContext.Provider value={places}>
            <EveryContext.Provider value={of.everyAnswer}>
              <SignInContext.Provider value={of.signIns}>{children}</SignInContext.Provider>
            </EveryContext.Provider>
          </KnownContext.Provider>
        </WhereContext.Provider>
      </DragContext.Provider>
    </EditContext.Provider>
  );
}
