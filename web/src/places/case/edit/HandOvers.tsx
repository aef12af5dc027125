import { useQuery } from "@tanstack/react-query";
import { useEffect, useState } from "react";
import type { Repeated } from "../../../api";
import { queries } from "../../../api/queries";
import { stepWith } from "../../../case/document";
import { handOver, keptAs, type Place, placesIn, takenNames } from "../../../case/handover";
import { proposeName } from "../../../case/naming";
import { useEdited } from "../state/context";

/** What is offered unasked waits until the step stands there. */
const CALM_MS = 700;

/** Literals of this request that an earlier answer held: each offered as a hand-over, in one click. */
export function HandOvers({ step }: { step: string }) {
  const { id, editing } = useEdited();
  const [calm, setCalm] = useState(false);
  useEffect(() => {
    const timer = window.setTimeout(() => setCalm(true), CALM_MS);
    return () => window.clearTimeout(timer);
  }, []);
  const found = useQuery({ ...queries.repeated(id), enabled: calm });
  const own = (found.data?.items ?? []).filter((item) => item.step === step);
  const offers = own.flatMap((item) => offered(item, editing.document) ?? []);
  return (
    <>
      {offers.map((offer) => (
        <p className="hand-over" key={offer.literal + offer.place.place}>
          <span className="mono">{offer.literal}</span> {offer.place.place} is{" "}
          <span className="mono">{offer.path}</span> of {offer.title}.{" "}
          <button
            data-needs="edit"
            type="button"
            className="plain-link"
            onClick={() => void editing.apply(offer.change)}
          >
            Hand it over as <span className="reference">{offer.name}</span>
          </button>
        </p>
      ))}
    </>
  );
}

function offered(item: Repeated, document: ReturnType<typeof useEdited>["editing"]["document"]) {
  const from = stepWith(document, item.from);
  const to = stepWith(document, item.step);
  const place = to && placesIn(to, item.literal).find((one: Place) => one.fits && !one.place.includes("{"));
  if (!from || !place) return undefined;
  const name = keptAs(from, item.path) ?? proposeName(item.path, String(from.send), takenNames(document));
  const words = place.place.replace(` instead of ${item.literal}`, "");
  return [
    {
      literal: item.literal,
      path: item.path,
      title: `“${String(from.request)}”`,
      name,
      place: { ...place, place: words },
      change: handOver(from, item.path, name, place),
    },
  ];
}
