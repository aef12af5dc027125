/** What a request is, told in the first row of its step. */
export const REQUEST = ["method", "address", "headers", "body"] as const;
/** What a check is. */
export const CHECK = ["of", "relation", "expected", "note", "mark"] as const;
const COLUMNS = ["case", "step", ...REQUEST, ...CHECK, "was", "seen"] as const;
export type Column = (typeof COLUMNS)[number];
export type RequestColumn = (typeof REQUEST)[number];
export type Cells = Record<Column, string>;

export const EMPTY: Cells = Object.fromEntries(COLUMNS.map((name) => [name, ""])) as Cells;

/** The columns in their order; the case where there are several, the request where it is unfolded. */
export const columnsFor = (several: boolean, unfolded: boolean): Column[] =>
  COLUMNS.filter(
    (name) => (several || name !== "case") && (unfolded || !(REQUEST as readonly string[]).includes(name)),
  );

/** What is typed; the others are only shown. */
export const isEdited = (column: Column): boolean => !["case", "was", "seen"].includes(column);
export const isRequest = (column: Column): column is RequestColumn =>
  (REQUEST as readonly string[]).includes(column);
