import { useQuery } from "@tanstack/react-query";
import { useMemo, useState } from "react";
import { Link, useParams } from "react-router";
import { api } from "../../../api";
import { queries } from "../../../api/queries";
import { ago, count, exactly } from "../../../base/format";
import { columnsFor } from "../../../case/sheet/columns";
import { Notice } from "../../../parts/Notice";
import { WhereContext } from "../../../parts/typing/drafts";
import { UndoButton } from "../../../parts/UndoButton";
import { useProject } from "../../../state/project";
import { SheetGrid } from "../../case/sheet/SheetGrid";
import { Unfold } from "../../case/sheet/Unfold";
import { useSheet } from "../../case/sheet/useSheet";
import { useSuite } from "../useSuite";
import { useSuiteBook } from "./useSuiteBook";

/** The cases of a suite as one sheet. */
export function SuiteSheet() {
  const { id = "" } = useParams();
  return (
    <WhereContext.Provider value={id}>
      <Opened key={id} suite={id} />
    </WhereContext.Provider>
  );
}

function Opened({ suite }: { suite: string }) {
  const project = useProject();
  const name = useSuite(suite)?.name ?? "";
  const { book, query, undo, canUndo } = useSuiteBook(suite, project?.id);
  const [unfolded, setUnfolded] = useState(false);
  const columns = useMemo(() => columnsFor(true, unfolded), [unfolded]);
  const sheet = useSheet(book, columns);
  const kept = useQuery(queries.keptWorkbook(suite));
  const checks = book.cases.flatMap((of) => of.steps.flatMap((step) => step.checks));
  const active = book.cases.find((of) => of.id === sheet.active?.of);
  const into = `/cases/workbook?suite=${suite}`;
  return (
    // biome-ignore lint/a11y/noStaticElementInteractions: the shortcut of a button that is there too
    <div
      className="page suite-sheet"
      onKeyDown={(event) => {
        const typing = event.target instanceof HTMLElement && event.target.closest("input, textarea");
        if (!event.ctrlKey || event.key.toLowerCase() !== "z" || typing) return;
        event.preventDefault();
        void undo();
      }}
    >
      <div className="page-head">
        <div>
          <p className="crumb">
            <Link to="/cases">Cases</Link> ▸ as one sheet
          </p>
          <h1>{name}</h1>
          <p className="muted">
            {count(book.cases.length, "case")} · {count(checks.length, "check")}
            {checks.length > 0 && (
              <>
                {" · "}
                <Link to={`/cases/fields?suite=${suite}`}>what is not checked</Link>
              </>
            )}
            {kept.data?.name && (
              <>
                {" · "}
                <a
                  href={api.verdictsAddress(suite)}
                  title={`It was brought in ${exactly(kept.data.at)}; the verdicts of the last runs stand beside its rows.`}
                >
                  save {kept.data.name} with its verdicts
                </a>
                , brought in {ago(kept.data.at)}
              </>
            )}
          </p>
        </div>
        <UndoButton can={canUndo} undo={undo} />
      </div>
      {query.error && <Notice sentence={query.error.message} retry={() => void query.refetch()} />}
      {query.isSuccess && !sheet.rows.length ? (
        <div className="teach">
          <p>
            A sheet has a row for each check, and this suite has none yet.{" "}
            <Link className="plain-link" to={into}>
              Bring in a workbook
            </Link>{" "}
            whose rows say what is sent and what is expected, or add a case{" "}
            <Link className="plain-link" to="/cases">
              in the outline
            </Link>
            .
          </p>
        </div>
      ) : (
        <section className="sheet-view" aria-label="The suite as a sheet">
          <SheetGrid sheet={sheet} columns={columns} />
          <Unfold
            unfolded={unfolded}
            turn={() => setUnfolded(!unfolded)}
            file={api.workbookAddress("suites", suite)}
            into={into}
          />
          {active && (
            <p>
              <Link to={`/cases/${active.id}`}>Open “{active.name}”</Link>
            </p>
          )}
        </section>
      )}
    </div>
  );
}
