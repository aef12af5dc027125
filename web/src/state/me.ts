import { createContext, useContext } from "react";
import type { Me } from "../api";

/** Who is signed in; the gate stands before every page, so there is always somebody. */
export const MeContext = createContext<Me | undefined>(undefined);

export function useMe(): Me {
  const me = useContext(MeContext);
  if (!me) throw new Error("nobody is signed in");
  return me;
}
