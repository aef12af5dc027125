import { type Insertable, putIn, type Reference } from "./inserting";

/** Saves what was typed, with the values that were inserted into it; a sentence says why it could not be. Never throws: a field whose save
 * went wrong in a way that nobody thought of says so, and stays as it can be kept again. */
export async function saved(
  save: (text: string) => Promise<string | undefined>,
  typed: string,
  insertable: Insertable | undefined,
  taken: Reference[],
): Promise<string | undefined> {
  try {
    return await (insertable ? insertable.keeping(putIn(taken, typed), () => save(typed)) : save(typed));
  } catch (problem) {
    return problem instanceof Error ? problem.message : String(problem);
  }
}
