"""Sheets: cases as workbooks, workbooks as cases, and a team's own workbook with its verdicts. What
is brought in is shown before it is taken, row by row."""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Mapping
from contextlib import contextmanager
from typing import Any

from flask import Blueprint, Response, request
from msgspec import UNSET

from saltpath.core.format.carried import carried
from saltpath.core.format.folder import slug
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.sheet.cells import read_request
from saltpath.core.sheet.headings import columns_of, heading_row, is_column, is_own, plain_heading
from saltpath.core.sheet.plan import Plan, Planned, plan
from saltpath.core.sheet.rows import COLUMNS, HEADINGS, REQUEST_COLUMNS, requests_of
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.workbook import (
    CSV,
    MOST_ROWS,
    XLSX,
    write_csv,
    write_xlsx,
)
from saltpath.server.api.views import moment
from saltpath.server.asked import case_asked, project_asked, suite_asked
from saltpath.server.bodies import RequestCells, TableRows
from saltpath.server.compiled import compiled
from saltpath.server.context import actor, confined, database, whole
from saltpath.server.declared import ANY, FORM, ID, PROJECT, SHEET, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.sheets import known_paths, rows_with_evidence, verdicts_beside
from saltpath.store import cases, workbooks
from saltpath.store.cases import StoredCase
from saltpath.store.database import VersionConflict
from saltpath.store.documents import Document

sheets_api = Blueprint("sheets", __name__)


# ---- out


@sheets_api.get("/cases/<id>/workbook")
@declared("readCaseWorkbook", "The case as a workbook", None, ID, FORM, media=SHEET, dear=True)
def case_workbook(id: str) -> Response:
    """The case as a workbook: a row for each check, with its verdict; `?format=csv` as CSV."""
    case = case_asked(id)
    return _workbook(case.name, [case])


@sheets_api.get("/suites/<id>/workbook")
@declared("readSuiteWorkbook", "The suite as a workbook", None, ID, FORM, media=SHEET, dear=True)
def suite_workbook(id: str) -> Response:
    """All cases of a suite as one workbook; `?format=csv` as CSV."""
    suite = suite_asked(id)
    return _workbook(suite.name, _cases_of(suite))


def _cases_of(suite: Document) -> list[StoredCase]:
    return [case for case in cases.cases(database(), suite.project) if case.suite == suite.id]


def _workbook(name: str, found: list[StoredCase]) -> Response:
    form = request.args.get("format", "xlsx")
    if form not in ("xlsx", "csv"):
        raise Refused(400, "format", "format is xlsx or csv.")
    rows = [row.cells for case in found for row in rows_with_evidence(case)]
    octets = write_xlsx(name, HEADINGS, rows) if form == "xlsx" else write_csv(HEADINGS, rows)
    return _file(octets, f"{slug(name)}.{form}")


def _file(octets: bytes, name: str) -> Response:
    answer = Response(octets, content_type=CSV if name.endswith(".csv") else XLSX)
    answer.headers["Content-Disposition"] = f'attachment; filename="{name}"'
    return answer


@sheets_api.get("/suites/<id>/rows")
@declared("listRows", "The suite as rows", page("StoredRow"), ID)
def suite_rows(id: str) -> Response:
    """The suite as the rows of a sheet, case by case."""
    return _rows(_cases_of(suite_asked(id)))


@sheets_api.get("/cases/<id>/rows")
@declared("listCaseRows", "The case as rows", page("StoredRow"), ID)
def case_rows(id: str) -> Response:
    """The case as the rows of a sheet."""
    return _rows([case_asked(id)])


def _rows(found: list[StoredCase]) -> Response:
    items = []
    for case in found:
        numbers = {
            step.key: number for number, (_, step) in enumerate(compiled(case).every_step(), 1)
        }
        steps = {str(step.get("key")): step for step in requests_of(case.document)}
        for row in rows_with_evidence(case):
            step = steps[row.step_key]
            check = step["expect"][row.index] if row.index >= 0 else None
            items.append(
                {
                    "case": case.oid,
                    "caseName": case.name,
                    "step": row.step_key,
                    "stepName": str(step["request"]),
                    "number": numbers[row.step_key],
                    "index": row.index,
                    "check": check,
                    "cells": row.cells,
                }
            )
    return json_answer({"items": items, "next": None})


# ---- in


@sheets_api.post("/workbooks")
@declared(
    "readWorkbook",
    "A workbook or CSV file as tables",
    of("ReadWorkbook"),
    PROJECT,
    upload=ANY,
    may="read",
    dear=True,
)
def read_workbook() -> Response:
    """A workbook (.xlsx) or CSV file, at most 20 MB, as tables of text, each with the row of its
    headings and what its columns are, by their names and by what the project was told before.
    Nothing is kept of it."""
    known = workbooks.remembered(database(), project_asked().id)
    with _understood():
        book = confined("book", request.get_data(cache=False))
    sheets = []
    for sheet in book.sheets:
        at = heading_row(sheet.table, known)
        columns = columns_of(sheet.table[at] if sheet.table else [], known)
        sheets.append(
            {
                "name": sheet.name,
                "headings": at,
                "columns": columns,
                "own": is_own(columns),
                "table": sheet.table,
            }
        )
    return json_answer({"sheets": sheets, "said": book.said})


@contextmanager
def _understood() -> Iterator[None]:
    """Within it, what cannot be read is the answer."""
    try:
        yield
    except Unreadable as problem:
        raise Refused(422, "not-understood", problem.sentence) from None


@sheets_api.post("/suites/<id>/rows")
@declared(
    "takeRows",
    "Rows onto the suite's cases",
    of("TakenRows"),
    ID,
    takes=TableRows,
    may="edit",
    did="took rows onto cases of {}",
    dear=True,
)
def take_rows(data: TableRows, id: str) -> Response:
    """Rows of a table onto the cases of a suite: what they would change, and which could not be
    read. With `take` it is done; what could be read is, and `saved` says which cases became what,
    with what they were before, so that it can be undone; `left` names those that someone else
    changed meanwhile."""
    suite = suite_asked(id)
    _check_columns(data.columns)
    otherwise, found = data.otherwise, _cases_of(suite)
    if data.case is not UNSET:
        found = [case for case in found if case.oid == data.case]
        if not found:
            raise Refused(422, "case", "There is no such case in this suite.")
        otherwise = found[0].name
    planned = _plan(data.table, data.columns, found, data.first, data.case is UNSET, otherwise)
    saved, left = _saved(suite, planned, found) if data.take else ([], [])
    if saved and data.headings is not UNSET:
        _remember(suite.project, data.headings, data.columns)
    by_key = {case.key: case.oid for case in found}
    items = [
        {
            "id": by_key.get(str((item.before or {}).get("key"))),
            "name": str(item.document["case"]),
            "changes": item.changes,
            "steps": len(item.document.get("steps") or []),
        }
        for item in planned.cases
        if item.before is None or item.changes
    ]
    faults = [
        {"row": fault.row, "column": fault.column, "sentence": fault.sentence}
        for fault in planned.faults
    ]
    return json_answer(
        {
            "cases": items,
            "faults": faults,
            "checks": len(planned.places),
            "saved": saved,
            "left": left,
        }
    )


def _check_columns(columns: list[str]) -> None:
    """Raises Refused for what is no column of a sheet."""
    if not all(map(is_column, columns)):
        raise Refused(
            422,
            "columns",
            f"columns names each column: {', '.join(COLUMNS)}, “expected of” a subject, or "
            "nothing.",
        )


def _plan(
    table: list[list[str]],
    columns: list[str],
    found: list[StoredCase],
    first: int,
    new_cases: bool,
    otherwise: str,
) -> Plan:
    documents = [case.document for case in found]
    known = known_paths(found)
    return plan(
        table,
        columns,
        documents,
        first=first,
        known=known,
        new_cases=new_cases,
        otherwise=otherwise,
    )


def _saved(
    suite: Document, planned: Plan, found: Iterable[StoredCase]
) -> tuple[list[dict[str, Any]], list[str]]:
    """Save what changes. Each case of it can be read as a whole, or none is saved."""
    by_key = {case.key: case for case in found}
    changed = [item for item in planned.cases if item.before is None or item.changes]
    for item in changed:
        _must_read(item)
    saved, left = [], []
    for item in changed:
        try:
            done = _save(suite, item, by_key)
        except VersionConflict:
            left.append(str(item.document["case"]))
        else:
            saved.append(
                {"id": done.oid, "name": done.name, "version": done.version, "before": item.before}
            )
    return saved, left


def _save(suite: Document, item: Planned, by_key: Mapping[str, StoredCase]) -> StoredCase:
    if item.before is None:
        return cases.add_case(database(), suite.project, suite.id, actor().id, item.document)
    stored = by_key[str(item.before["key"])]
    comments = carried(stored.document, item.document, stored.comments)
    return cases.save_case(
        database(), stored.oid, actor().id, stored.version, item.document, comments
    )


def _must_read(item: Planned) -> None:
    """Raises Refused."""
    try:
        case_from_data(item.document)
    except FormatError as problem:
        sentence = f"“{item.document['case']}”: {problem.problems[0].sentence}"
        raise Refused(422, "not-the-format", sentence) from None


def _remember(project: int, headings: list[Any], columns: list[str]) -> None:
    """What the team's own headings mean, so that they need not be mapped again."""
    means = {
        plain_heading(heading): column
        for heading, column in zip(headings, columns, strict=False)
        if isinstance(heading, str)
        and 0 < len(heading) <= 200
        and plain_heading(heading) not in HEADINGS
    }
    workbooks.remember(database(), project, means)


@sheets_api.post("/cases/<id>/requests")
@declared(
    "readRequestCells",
    "A request by its cells",
    of("ReadRequest"),
    ID,
    takes=RequestCells,
    may="read",
)
def read_request_cells(data: RequestCells, id: str) -> Response:
    """A request of the case as its `cells` (method, address, headers, body) would have it, or why
    it cannot be. Nothing is saved."""
    requests = requests_of(case_asked(id).document)
    step = next((step for step in requests if step.get("key") == data.step), None)
    if step is None:
        raise Refused(422, "step", "Name a request of this case by its key as step.")
    try:
        made = read_request(
            step, {name: text for name, text in data.cells.items() if name in REQUEST_COLUMNS}
        )
        case_from_data({"salt-path": 1, "case": "x", "steps": [made]})
    except (Unreadable, FormatError) as problem:
        return json_answer({"step": None, "problem": str(problem)})
    return json_answer({"step": made, "problem": ""})


# ---- a team's own workbook


@sheets_api.put("/suites/<id>/workbook")
@declared(
    "keepWorkbook",
    "Keep the team's own",
    of("KeptWorkbook"),
    ID,
    parameter("name", "the file's", True),
    parameter("sheet", "which of its sheets"),
    parameter("headings", "their row, from 0", kind="integer"),
    parameter("columns", "what each column is, a JSON list", True),
    parameter("otherwise", "the case of rows that name none"),
    upload=ANY,
    may="edit",
    did="kept a workbook of {}",
    dear=True,
)
def keep_workbook(id: str) -> Response:
    """Keep the workbook that was brought into a suite, so that it can be had again with verdicts
    beside its rows."""
    suite = suite_asked(id)
    name, sheet, otherwise = (
        request.args.get(arg, "")[:200] for arg in ("name", "sheet", "otherwise")
    )
    try:
        columns = plain.read_json(request.args.get("columns", ""))
    except plain.NotPlain:
        columns = None
    if (
        not name
        or not isinstance(columns, list)
        or not all(isinstance(c, str) and is_column(c) for c in columns)
    ):
        raise Refused(
            422,
            "columns",
            "Give the file's name, and what each column is as a JSON list in columns.",
        )
    octets = request.get_data(cache=False)
    with _understood():
        if sheet not in [item.name for item in confined("book", octets).sheets]:
            raise Unreadable(f"this workbook holds no sheet {sheet}")
    book = workbooks.Workbook(
        name, sheet, min(whole("headings", 0), MOST_ROWS), columns, otherwise, octets, 0
    )
    workbooks.keep(database(), suite.project, suite.id, actor().id, book)
    return _kept(suite)


@sheets_api.get("/suites/<id>/workbook/kept")
@declared("readKeptWorkbook", "The team's own", of("KeptWorkbook"), ID)
def kept_workbook(id: str) -> Response:
    """Which workbook was brought into a suite, and when; its name is empty if none was."""
    return _kept(suite_asked(id))


def _kept(suite: Document) -> Response:
    book = workbooks.kept(database(), suite.id)
    return json_answer({"name": book.name if book else "", "at": moment(book.at) if book else None})


@sheets_api.get("/suites/<id>/workbook/verdicts")
@declared("readWorkbookVerdicts", "The team's own with verdicts", None, ID, media=SHEET, dear=True)
def workbook_with_verdicts(id: str) -> Response:
    """The workbook that was brought in, with verdict, actual value and time of the last runs beside
    its rows."""
    suite = suite_asked(id)
    book = workbooks.kept(database(), suite.id)
    if book is None:
        raise Refused(404, "no-workbook", "No workbook was brought into this suite.")
    found = _cases_of(suite)
    with _understood():
        table: list[list[str]] = next(
            (s.table for s in confined("book", book.octets).sheets if s.name == book.sheet), []
        )
        planned = _plan(
            table[book.headings + 1 :], book.columns, found, book.headings + 1, True, book.otherwise
        )
        known = {
            heading: at
            for at, heading in enumerate(table[book.headings] if book.headings < len(table) else [])
        }
        values = verdicts_beside(planned, found)
        names = {name for texts in values.values() for name in texts}
        octets = confined(
            "beside",
            book.octets,
            book.sheet,
            book.headings,
            {n: known[n] for n in names if n in known},
            values,
        )
    name = slug(book.name.rpartition(".")[0] or book.name)
    return _file(octets, f"{name}.{'xlsx' if octets.startswith(b'PK') else 'csv'}")
