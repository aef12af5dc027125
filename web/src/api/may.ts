import { createContext, useContext } from "react";
import type { Right } from "./index";

/** What whoever works here may do in the project. */
export const MayContext = createContext<readonly Right[]>([]);

/** Whether something is offered; the server decides once more. Buttons that only need to be left out carry `data-needs` instead (app.css). */
export const useMay = (right: Right): boolean => useContext(MayContext).includes(right);

/** What is said where something was asked for that one may not, though it should not have been offered. */
export function refused(): string {
  console.warn("something was offered that this role may not do");
  return "You may not change this here.";
}
