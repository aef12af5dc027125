/** A thing that can be picked, or a line between. */
export type MenuItem = { key: string; label: string; disabled?: boolean } | { type: "divider" };
