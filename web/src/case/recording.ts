import type { RecordedEntry, Recording } from "../api";
import type { Json } from "../base/exact";
import { type Document, type StepDocument, setKeep, stepWith } from "./document";
import { handOver, keptAs, placesIn, takenNames } from "./handover";
import { newKey } from "./keys";
import { proposeName } from "./naming";

/** A value that one chosen answer gave and later chosen requests sent. */
export interface Offer {
  /** The entry whose answer gave it. */
  from: number;
  path: string;
  literal: string;
  /** The entries that sent it. */
  to: number[];
}

/** The entries that a case is proposed of. */
export const proposed = (recording: Recording): Set<number> =>
  new Set(recording.entries.filter((entry) => entry.step && !entry.leftOut).map((entry) => entry.number));

/** The hand-overs between chosen entries: each literal from the nearest chosen answer that held it before it was sent first, to the
 * requests in which a reference can stand for it. */
export function offersAmong(recording: Recording, chosen: ReadonlySet<number>): Offer[] {
  const found = new Map<string, Offer>();
  for (const { number, literal, sources } of recording.handOvers) {
    const step = chosen.has(number) && recording.entries.find((entry) => entry.number === number)?.step;
    if (!step || !placesIn(step as StepDocument, literal).some((place) => place.fits)) continue;
    const known = found.get(literal);
    if (known) known.to.push(number);
    else {
      const source = sources.find((place) => chosen.has(place.number));
      if (source) found.set(literal, { from: source.number, path: source.path, literal, to: [number] });
    }
  }
  return [...found.values()];
}

export const offerId = (offer: Offer): string => `${offer.from} ${offer.path} ${offer.literal}`;

/** The case that the chosen entries make, in their order, with the accepted values handed over. An address that all have in common,
 * and that no value stands for yet, becomes one of the case. */
export function caseOf(
  name: string,
  entries: RecordedEntry[],
  chosen: ReadonlySet<number>,
  accepted: Offer[],
): Document {
  const keys = new Map<number, string>();
  const steps: StepDocument[] = entries
    .filter((entry) => entry.step && chosen.has(entry.number))
    .map((entry) => {
      const key = newKey();
      keys.set(entry.number, key);
      const { request, ...rest } = entry.step as StepDocument;
      return { request: request as Json, key, ...rest };
    });
  let document: Document = withAddress({ "salt-path": 1, case: name, steps });
  for (const offer of accepted) {
    for (const number of offer.to) {
      const key = keys.get(number) ?? "";
      document = handedOver(document, keys.get(offer.from) ?? "", key, offer);
    }
  }
  return document;
}

const MOST_PLACES = 50;

/** Every place of one step where the literal stands, with the value in it. */
function handedOver(before: Document, from: string, to: string, offer: Offer): Document {
  let document = before;
  for (let round = 0; round < MOST_PLACES; round++) {
    const source = stepWith(document, from);
    const target = stepWith(document, to);
    const place = target && placesIn(target, offer.literal).find((item) => item.fits);
    if (!source || !place) break;
    const name = proposeName(offer.path, String(source.send), takenNames(document));
    document = handOver(source, offer.path, name, place)(document);
    // What signs a request in is shown nowhere.
    const kept = keptAs(stepWith(document, from) ?? {}, offer.path);
    if (kept && (place.place.startsWith("in the sign-in") || offer.path.startsWith("cookie ")))
      document = setKeep(from, kept, { of: offer.path, secret: true })(document);
  }
  return document;
}

const ORIGIN = /^(\S+) (https?:\/\/[^/?#]+)/;

function withAddress(document: Document): Document {
  const steps = document.steps as StepDocument[];
  const origins = new Set(steps.map((step) => ORIGIN.exec(String(step.send))?.[2] ?? ""));
  const [origin] = origins;
  if (origins.size !== 1 || !origin || steps.length < 2) return document;
  const named = steps.map((step) => ({ ...step, send: String(step.send).replace(ORIGIN, "$1 [=address]") }));
  const { steps: _, ...head } = document;
  return { ...head, values: { address: origin }, steps: named };
}
