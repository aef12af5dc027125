import type { Member } from "../../../api";

export type Role = Member["role"];

/** What each role may, in words; the server's table decides (docs/permissions.md). */
export const ROLES: { role: Role; may: string }[] = [
  { role: "owner", may: "decides who else comes in, what is kept, and all below" },
  { role: "editor", may: "changes cases, values, environments and data, and all below" },
  { role: "runner", may: "starts and stops runs, and looks" },
  { role: "viewer", may: "looks at cases, runs and their evidence" },
];

export const ROLE_CHOICES = ROLES.map(({ role }) => [role, role] as [string, string]);
