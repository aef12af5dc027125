import { createContext, useContext } from "react";
import type { Right } from "../api";

/** What whoever works here may do in the project. */
export const MayContext = createContext<readonly Right[]>([]);

/** Whether something is offered; the server decides once more. Buttons that only need to be left out carry `data-needs` instead (app.css). */
export const useMay = (right: Right): boolean => useContext(MayContext).includes(right);
