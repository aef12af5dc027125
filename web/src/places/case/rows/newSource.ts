import { api, type Case, type SourceDocument } from "../../../api";
import type { Tell } from "../../../api/stale";
import { freePath } from "../../../state/files";
import { sourceName } from "../../data/source";

/** A new source of the project, called after the case, of a file with this text; gives its name. `more`: how the file is read. */
export async function newSource(
  tell: Tell,
  of: Case,
  text: string,
  ending: "csv" | "json",
  more: SourceDocument = {},
): Promise<string> {
  const known = (await api.files(of.project)).items;
  const taken = (await api.sources(of.project)).items.map((item) => item.name);
  const type = ending === "csv" ? "text/csv" : "application/json";
  const file = new File([text], `${of.name}.${ending}`, { type });
  const kept = await api.putFile(of.project, freePath(file.name, known), file);
  const made = await api.addSource(of.project, sourceName(of.name, taken), { file: kept.path, ...more });
  await tell("sources");
  return made.name;
}
