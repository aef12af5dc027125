import type { RecordedEntry } from "../../../api";
import { cut } from "../../../base/cut";
import { listed } from "../../../base/format";
import { type Offer, offerId } from "../../../case/recording";

interface Props {
  offers: Offer[];
  entries: RecordedEntry[];
  refused: ReadonlySet<string>;
  turn: (offer: Offer) => void;
}

/** The values that an answer gave and a later request sent: written out they would be old the next time. */
export function HandedOver({ offers, entries, refused, turn }: Props) {
  if (!offers.length) return null;
  const named = (number: number) =>
    `${String(entries.find((entry) => entry.number === number)?.step?.request ?? "")} (${number})`;
  return (
    <section aria-label="Values that are handed over">
      <h2>Handed over, so that it works again</h2>
      <ul className="lines">
        {offers.map((offer) => (
          <li className="entry" key={offerId(offer)}>
            <input
              id={offerId(offer)}
              type="checkbox"
              checked={!refused.has(offerId(offer))}
              onChange={() => turn(offer)}
            />
            <label htmlFor={offerId(offer)}>
              <span className="mono">{cut(offer.literal, 40)}</span>,{" "}
              <span className="mono">{offer.path}</span> of {named(offer.from)}, goes into{" "}
              {listed(offer.to.map(named))}
            </label>
          </li>
        ))}
      </ul>
    </section>
  );
}
