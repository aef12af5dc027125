import { useQuery } from "@tanstack/react-query";
import { useState } from "react";
import { api, type Lifted, type LiftedPlace } from "../../api";
import { queries } from "../../api/queries";
import { count } from "../../base/format";

interface Props {
  project: string;
  literal: string;
  proposed: string;
  take: (lifted: Lifted, name: string) => Promise<void>;
  leave: () => void;
}

const keyOf = (place: LiftedPlace): string => `${place.case} ${place.path}`;

/** Every place where a literal stands, as it would read; what is not ticked stays as it is. */
export function LiftPreview({ project, literal, proposed, take, leave }: Props) {
  const [name, setName] = useState(proposed);
  const [left, setLeft] = useState<ReadonlySet<string>>(new Set());
  const [problem, setProblem] = useState("");
  const preview = useQuery(queries.lift(project, literal, name));
  const places = preview.data?.places ?? [];
  const wanted = places.filter((place) => !left.has(keyOf(place)));
  const lift = async () => {
    const kept: { [id: string]: string[] } = {};
    for (const place of places)
      if (left.has(keyOf(place))) kept[place.case] = [...(kept[place.case] ?? []), place.path];
    try {
      await take(await api.lift({ project, literal, name, take: true, left: kept }), name);
    } catch (wrong) {
      setProblem((wrong as Error).message);
    }
  };
  const turn = (place: LiftedPlace) => {
    const next = new Set(left);
    if (!next.delete(keyOf(place))) next.add(keyOf(place));
    setLeft(next);
  };
  const said = problem || preview.error?.message;
  return (
    <div className="lift-preview" role="group" aria-label={`Lift ${literal} into a value`}>
      <p>
        <label>
          <span className="mono">{literal}</span> becomes{" "}
          <input
            value={name}
            placeholder="its name"
            onChange={(event) => {
              setName(event.target.value.trim());
              setProblem("");
            }}
          />
        </label>{" "}
        {preview.data?.there ? "which reads just so already, " : "a value of the project, "}
        in {count(wanted.length, "place")}:
      </p>
      {said && <p className="trouble">{said}</p>}
      <ul className="lift-places">
        {places.map((place) => (
          <li key={keyOf(place)}>
            <label>
              <input type="checkbox" checked={!left.has(keyOf(place))} onChange={() => turn(place)} />{" "}
              <span className="muted">
                {place.caseName} · {place.step}
              </span>
              <br />
              <del className="mono">{place.before}</del> <ins className="mono">{place.after}</ins>
            </label>
          </li>
        ))}
      </ul>
      {preview.isSuccess && !places.length && <p className="muted">It stands nowhere as a whole.</p>}
      <p className="actions">
        <button
          data-needs="edit"
          type="button"
          className="plain-button strong"
          disabled={!wanted.length || !name || Boolean(said)}
          onClick={() => void lift()}
        >
          Lift it in {count(wanted.length, "place")}
        </button>
        <button data-needs="edit" type="button" className="plain-button" onClick={leave}>
          Leave it
        </button>
      </p>
    </div>
  );
}
