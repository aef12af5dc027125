"""Output tables: which there are, the rows that a run has written, and those saved as a workbook,
as CSV, or in a place of one's own workbook."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.format.folder import slug
from saltpath.core.running.outputs import columns_of
from saltpath.core.tables.frame import read_area
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.workbook import (
    CSV,
    XLSX,
    into_sheet,
    value_text,
    write_values_csv,
    write_values_xlsx,
)
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked, run_asked
from saltpath.server.context import database, limit, whole
from saltpath.server.declared import (
    ANY,
    FORM,
    LIMIT,
    PROJECT,
    SHEET,
    TABLE,
    WRITTEN_BY,
    declared,
    of,
    page,
    parameter,
)
from saltpath.server.problems import Refused, json_answer
from saltpath.store import output_rows, runs
from saltpath.store.database import NotFound
from saltpath.store.documents import Document

outputs_api = Blueprint("outputs", __name__)
MOST_SAVED = 500_000
MOST_RUNS_SHOWN = 20


@outputs_api.get("/output-tables")
@declared("listOutputTables", "Tables that runs have written", page("OutputTable"), PROJECT)
def list_tables() -> Response:
    """The project's output tables by name, each with the newest runs that wrote there; trials are
    left out."""
    project = project_asked()
    items = []
    for table in output_rows.tables(database("evidence"), project.id):
        written = [
            run for id in table.runs if (run := runs.run_by_id(database(), id)).kind == "run"
        ][:MOST_RUNS_SHOWN]
        if written:
            first = output_rows.page(database("evidence"), written[0].id, table.name, 0, 1)
            items.append(
                {
                    "name": table.name,
                    "columns": columns_of(first),
                    "rows": output_rows.count(database("evidence"), written[0].id, table.name),
                    "runs": [_run(run) for run in written],
                }
            )
    return json_answer({"items": items, "next": None})


def _run(run: runs.Run) -> dict[str, Any]:
    return {"id": run.oid, "number": run.number, "title": run.title, "at": moment(run.asked_at)}


@outputs_api.get("/output-tables/rows")
@declared(
    "listOutputRows",
    "Rows of one",
    of("OutputRows"),
    PROJECT,
    TABLE,
    WRITTEN_BY,
    LIMIT,
    parameter("offset", "how many are left out before", kind="integer"),
)
def list_output_rows() -> Response:
    """Rows of the table `?name=` in order, of the run `?run=` or of the newest."""
    project, name = project_asked(), request.args.get("name", "")
    run = _chosen(project, name)
    offset, size = whole("offset", 0), limit(100)
    found = output_rows.page(database("evidence"), run.id, name, offset, size)
    columns = columns_of(found)
    items = [[value_text(row.get(column)) for column in columns] for row in found]
    more = str(offset + size) if len(found) == size else None
    return json_answer({"columns": columns, "items": items, "next": more})


@outputs_api.get("/output-tables/file")
@declared(
    "saveOutputTable",
    "One as a workbook or CSV",
    None,
    PROJECT,
    TABLE,
    WRITTEN_BY,
    FORM,
    media=SHEET,
)
def save_table() -> Response:
    """The whole table as a workbook, or with `?format=csv` as CSV."""
    project, name = project_asked(), request.args.get("name", "")
    rows = _all(_chosen(project, name), name)
    ending = "csv" if request.args.get("format") == "csv" else "xlsx"
    octets = write_values_csv(rows) if ending == "csv" else write_values_xlsx([(name, rows)])
    return _saved(octets, f"{slug(name, 'table')}.{ending}", CSV if ending == "csv" else XLSX)


@outputs_api.post("/output-tables/into")
@declared(
    "putIntoWorkbook",
    "One into a workbook of one's own",
    None,
    PROJECT,
    TABLE,
    WRITTEN_BY,
    parameter("sheet", "which of its sheets", True),
    parameter("cell", "where the headings begin, such as B4"),
    media=SHEET,
    upload=ANY,
    may="read",
    dear=True,
)
def put_into_workbook() -> Response:
    """A workbook of one's own with the table in it: headings at the cell `?cell=` of `?sheet=`,
    rows below; formulas and other sheets stay."""
    project, name = project_asked(), request.args.get("name", "")
    rows = _all(_chosen(project, name), name)
    try:
        area = read_area(request.args.get("cell", "A1"))
        octets = into_sheet(
            request.get_data(), request.args.get("sheet", ""), area.row, area.column, rows
        )
    except Unreadable as problem:
        raise Refused(422, "workbook", f"This cannot be done: {problem}.") from None
    return _saved(octets, f"{slug(name, 'table')}.xlsx", XLSX)


def _saved(octets: bytes, name: str, media: str) -> Response:
    return Response(
        octets, 200, {"Content-Disposition": f'attachment; filename="{name}"'}, content_type=media
    )


def _chosen(project: Document, name: str) -> runs.Run:
    """The run that is asked for, or the newest that wrote to the table. Raises NotFound."""
    if "run" in request.args:
        run = run_asked(request.args["run"])
        if run.project == project.id and output_rows.count(database("evidence"), run.id, name):
            return run
    else:
        newest = output_rows.newest_run(database(), database("evidence"), project.id, name)
        if newest is not None:
            return runs.run_by_id(database(), newest)
    raise NotFound(f"no run has written to a table {name}")


def _all(run: runs.Run, name: str) -> list[dict[str, Any]]:
    number = output_rows.count(database("evidence"), run.id, name)
    if number > MOST_SAVED:
        raise Refused(
            422,
            "too-many",
            f"At most {MOST_SAVED} rows are saved at once, and this table has {number}.",
        )
    return [cells for _, cells in output_rows.rows(database("evidence"), run.id, name)]
