import { useQuery } from "@tanstack/react-query";
import { Link } from "react-router";
import type { Case } from "../../../api";
import { useMay } from "../../../api/may";
import { queries } from "../../../api/queries";
import { setOwn } from "../../../case/document";
import { rowsSaid, withSource } from "../../../case/rowColumns";
import { addressOf } from "../../data/source";
import { useEdited } from "../state/context";

/** The source as a part of the sentence; another one can be chosen. */
export function RowsSource({ of }: { of: Case }) {
  const may = useMay("edit");
  const { editing } = useEdited();
  const sources = useQuery(queries.sources(of.project));
  const named = of.rows?.source ?? "";
  const names = (sources.data?.items ?? []).map((item) => item.name);
  return (
    <>
      <select
        disabled={!may}
        className="in-sentence"
        aria-label="Where the rows come from"
        value={named}
        onChange={(event) =>
          void editing.apply(setOwn("rows", withSource(editing.document.rows, event.target.value)))
        }
      >
        {!names.includes(named) && (
          <option value={named}>{named || rowsSaid(editing.document.rows, of.rows)}</option>
        )}
        {names.map((name) => (
          <option key={name}>{name}</option>
        ))}
      </select>
      {named && (
        <>
          {" "}
          <Link to={addressOf(named)} className="small">
            open it
          </Link>
        </>
      )}
    </>
  );
}
