/** What a dragged case carries. */
export const CASE = "application/x-salt-path-case";
