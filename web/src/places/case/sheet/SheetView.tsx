import { useQuery } from "@tanstack/react-query";
import { useEffect, useMemo, useState } from "react";
import { Link } from "react-router";
import { api, type Case, type StepEvidence } from "../../../api";
import { queries } from "../../../api/queries";
import { type Book, bookOfCase } from "../../../case/sheet/book";
import { columnsFor } from "../../../case/sheet/columns";
import { useEdited } from "../state/context";
import { SheetGrid } from "./SheetGrid";
import { Unfold } from "./Unfold";
import { useSheet } from "./useSheet";

interface Props {
  of: Case;
  evidence: Map<string, StepEvidence>;
  /** The step of the active row is the one whose evidence stands beside. */
  choose: (key: string) => void;
}

const NONE: never[] = [];

/** The checks of a case as a sheet: edited, filled down, copied and pasted as in a spreadsheet program, to and from one. */
export default function SheetView({ of, evidence, choose }: Props) {
  const { editing } = useEdited();
  const [unfolded, setUnfolded] = useState(false);
  const columns = useMemo(() => columnsFor(false, unfolded), [unfolded]);
  const told = useQuery(queries.caseRows(of.id, of.version));
  const rows = told.data?.items ?? NONE;
  const book = useMemo<Book>(
    () => ({
      cases: [bookOfCase(of, evidence, rows)],
      apply: (changes) =>
        editing.apply((document) => changes.reduce((next, { change }) => change(next), document)),
    }),
    [of, evidence, rows, editing],
  );
  const sheet = useSheet(book, columns);
  const key = sheet.active?.key;
  useEffect(() => {
    if (key) choose(key);
  }, [key, choose]);
  if (!sheet.rows.length)
    return (
      <div className="sheet-view pad teach">
        <p>
          A sheet has a row for each check. This case has no request yet: add one in the Path, or{" "}
          <Link to={`/cases/workbook?suite=${of.suite.id}&case=${of.id}`}>bring in a workbook</Link>.
        </p>
      </div>
    );
  return (
    <section className="sheet-view" aria-label="The case as a sheet">
      <SheetGrid sheet={sheet} columns={columns} />
      <Unfold
        unfolded={unfolded}
        turn={() => setUnfolded(!unfolded)}
        file={api.workbookAddress("cases", of.id)}
        into={`/cases/workbook?suite=${of.suite.id}&case=${of.id}`}
      />
    </section>
  );
}
