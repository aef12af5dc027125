import { api, type Case } from "../api";
import { type StepDocument, stepFrom } from "./document";
import { newKey } from "./keys";

/** What a text came to: steps, and what could not be taken along, in sentences. */
export interface FromText {
  steps: StepDocument[];
  said: string[];
}

const CURL = /^\s*(?:[$>#]\s+)?(?:\w:)?(?:[\w./\\-]*[/\\])?curl(?:\.exe)?\s/i;
const RAW = /^\s*[A-Z]+ \S+(?: HTTP\/\d|\r?\n[\w-]+:)/;

/** Whether a text is a curl line or a request as it goes over the wire, rather than a method and an address. */
export const looksPasted = (text: string): boolean => CURL.test(text) || RAW.test(text);

/** The steps of what was typed or pasted. Raises ApiProblem with what is wrong with it. */
export async function fromText(text: string, of?: Pick<Case, "scope">): Promise<FromText> {
  if (!looksPasted(text)) return { steps: [stepFrom(text)], said: [] };
  const { steps, said } = await api.readPasted(text);
  return { steps: steps.map((step) => withKnownOrigin({ ...step, key: newKey() }, of?.scope ?? [])), said };
}

/** The step with a value's name in the place of where it goes, where a value in scope says just that. */
export function withKnownOrigin(step: StepDocument, scope: Case["scope"]): StepDocument {
  const [method, address = ""] = String(step.send).split(/ (.*)/s);
  for (const { name, value } of scope) {
    const origin = value.replace(/^“(.*)”$/s, "$1").replace(/\/$/, ""); // text is shown in quotes
    if (/^https?:\/\/./.test(origin) && (address === origin || address.startsWith(`${origin}/`)))
      return { ...step, send: `${method} [=${name}]${address.slice(origin.length)}` };
  }
  return step;
}
