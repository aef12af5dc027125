import type { Json } from "../base/exact";

/** A case's document as the format has it, and the edits that the Path makes. Edits find their step by its key, so that they
 * can be made again on a newer version. */
export type StepDocument = { [key: string]: Json } & { key?: string };
export type CheckDocument = { [key: string]: Json };
export type Document = { [key: string]: Json };
export type Change = (document: Document) => Document;
export type Part = "once" | "steps" | "afterwards" | "at the end";
export const PARTS: Part[] = ["once", "steps", "afterwards", "at the end"];
/** A change of one of several cases. */
export type CaseChange = { id: string; change: Change };
