import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { useSearchParams } from "react-router";
import { api, type Lifted, type LiftOffer, type ValueChange } from "../../api";
import { queries } from "../../api/queries";
import { useStale } from "../../api/stale";
import { writeExact } from "../../base/exact";
import { count } from "../../base/format";
import { InPlace } from "../../parts/typing/InPlace";
import { LiftPreview } from "./LiftPreview";

interface Props {
  project: string | undefined;
  refresh: () => Promise<unknown>;
  undoValues: (changes: ValueChange[]) => Promise<void>;
}

/** What stands written out in several steps, each a sentence that offers to make it a value. */
export function Lifts({ project, refresh, undoValues }: Props) {
  const tell = useStale();
  const [search, setSearch] = useSearchParams();
  const offers = useQuery(queries.lifts(project));
  const [chosen, setChosen] = useState<{ literal: string; name: string } | undefined>(asked(search));
  const [done, setDone] = useState<Lifted>();
  const [said, setSaid] = useState("");
  const again = async () => {
    await Promise.all([tell("lifts"), refresh()]);
  };
  const take = async (lifted: Lifted, name: string) => {
    setChosen(undefined);
    setSearch({}, { replace: true });
    setDone(lifted);
    setSaid(`${name} stands in ${count(lifted.saved.length, "case")} now.`);
    await again();
  };
  const undo = async () => {
    if (!done) return;
    setDone(undefined);
    try {
      for (const { id, version, before } of done.saved)
        await api.saveCase(id, version, writeExact({ document: before }));
      await undoValues(done.undo);
      setSaid("Undone.");
    } catch (problem) {
      setSaid(`Not all of it could be undone: ${(problem as Error).message}`);
    }
    await again();
  };
  return (
    <section className="lifts" data-needs="edit" aria-label="Written out in many places">
      <h2>Written out in many places</h2>
      <p role="status" className="muted">
        {said}{" "}
        {done && (
          <button data-needs="edit" type="button" className="plain-link" onClick={() => void undo()}>
            Undo
          </button>
        )}
      </p>
      <ul className="plain-list">
        {(offers.data?.items ?? []).map((offer) => (
          <Offered key={offer.literal} offer={offer} choose={setChosen} />
        ))}
        <li>
          <InPlace
            text=""
            label="What stands written out"
            hint="An address, an id or any text or number; where it stands is shown first."
            save={async (literal) => {
              if (literal.trim()) setChosen({ literal: literal.trim(), name: "" });
              return undefined;
            }}
          >
            <span className="add">+ lift something else into a value</span>
          </InPlace>
        </li>
      </ul>
      {chosen && project && (
        <LiftPreview
          key={chosen.literal}
          project={project}
          literal={chosen.literal}
          proposed={chosen.name}
          take={take}
          leave={() => {
            setChosen(undefined);
            setSearch({}, { replace: true });
          }}
        />
      )}
    </section>
  );
}

/** A literal that another page asks to be lifted. */
const asked = (search: URLSearchParams) => {
  const literal = search.get("lift");
  return literal ? { literal, name: search.get("as") ?? "" } : undefined;
};

function Offered({ offer, choose }: { offer: LiftOffer; choose: (offer: LiftOffer) => void }) {
  const cases = offer.cases > 1 ? ` of ${count(offer.cases, "case")}` : "";
  return (
    <li>
      <span className="mono">{offer.literal}</span> stands in {count(offer.steps, "step")}
      {cases}.{" "}
      <button data-needs="edit" type="button" className="plain-link" onClick={() => choose(offer)}>
        {offer.there ? `Say ${offer.name} there…` : "Lift it into a value…"}
      </button>
    </li>
  );
}
