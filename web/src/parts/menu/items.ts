import type { Right } from "../../api";

/** A thing that can be picked, or a line between; `needs`: it is there for whoever may. */
export type MenuItem =
  | { key: string; label: string; disabled?: boolean; needs?: Right }
  | { type: "divider"; needs?: Right };
