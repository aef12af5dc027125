/** What a dragged case carries. */
export const CASE = "application/x-salt-path-case";
/** What a dragged suite carries. */
export const SUITE = "application/x-salt-path-suite";
