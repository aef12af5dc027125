"""Trends: what became slower or quicker, suites over days, cases that cannot be trusted, what time
is spent on, and two stretches held against each other."""

from __future__ import annotations

from typing import TYPE_CHECKING, cast

from flask import Blueprint, Response, request

from saltpath.core.values.nearest import listed
from saltpath.formats.workbook import write_values_csv, write_values_xlsx
from saltpath.server.asked import permitted, project_asked, suite_asked
from saltpath.server.context import database, limit
from saltpath.server.declared import ID, LIMIT, PROJECT, SHEET, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.stretches import TO, from_parameter, stretch
from saltpath.store import projects
from saltpath.store.documents import Document
from saltpath.store.trends import series

if TYPE_CHECKING:  # it brings numpy
    from saltpath.server.trending import tables

trends_api = Blueprint("trends", __name__)
FROM = from_parameter("thirty days")
ENVIRONMENT = parameter("environment", "against which; the project's own unless it is said")
SUITE = parameter("suite", "only of the cases of this suite")
TABLES = ("runs", "cases", "times", "days", "outages")
KINDS = ("case", "step", "shared", "operation", "host", "watch")


@trends_api.get("/trends/places")
@declared("listTrendPlaces", "Where runs have gone to", page("TrendPlace"), PROJECT)
def list_places() -> Response:
    """The environments that cases ran against, and those that watches alone go against; the first
    is meant where none is said."""
    from saltpath.server.trending import asked, watched

    project = project_asked()
    found = asked.environments(project)
    alone = sorted(watched.environments(project) - {*found, ""})
    items = [{"environment": name, "runs": name in found} for name in (*found, *alone)]
    return json_answer({"items": items, "next": None})


@trends_api.get("/trends/moved")
@declared("readMoved", "What became slower or quicker", of("Moved"), PROJECT, ENVIRONMENT, FROM, TO)
def read_moved() -> Response:
    """Each cause once, the greatest change first, then what takes most time and is as it was; a
    line is of points [part, median, 95th percentile, runs, bad], times in microseconds."""
    from saltpath.server.trending.asked import looked
    from saltpath.server.trending.moved import moved_view

    return json_answer(moved_view(looked(project_asked())))


@trends_api.get("/trends/series")
@declared(
    "listSeries",
    "Whatever is followed",
    page("Followed"),
    PROJECT,
    ENVIRONMENT,
    FROM,
    TO,
    LIMIT,
    parameter("kind", "case, step, shared, operation, host or watch; step unless it is said"),
    parameter("find", "only what is called so, or belongs to a case or supplier that is"),
)
def list_series() -> Response:
    """Of a kind, that which takes most time first."""
    from saltpath.server.trending.asked import looked
    from saltpath.server.trending.moved import list_view

    project, kind = project_asked(), request.args.get("kind", "step")
    if kind not in KINDS:
        raise Refused(422, "kind", f"There is no kind {kind} of what is followed.")
    find = request.args.get("find", "")
    return json_answer(
        {"items": list_view(looked(project), kind, find, limit(40, 200)), "next": None}
    )


@trends_api.get("/trends/series/<id>")
@declared("readSeries", "How long something took", of("Series"), ID, ENVIRONMENT, FROM, TO)
def read_series(id: str) -> Response:
    """A case, a step, shared steps, an operation or a host: its line, its phases, where it became
    slower or quicker, the builds and edits of that time."""
    from saltpath.server.trending.asked import MONTH_S, Looked, environment_of
    from saltpath.server.trending.moved import series_view

    number, project_id, _ = series.one(database("history"), id)
    permitted(project_id)
    project = projects.project_by_id(database(), project_id)
    there = Looked(project, environment_of(project), *stretch(MONTH_S))
    return json_answer(series_view(there, number))


@trends_api.get("/trends/suites")
@declared(
    "readSuitesOverTime", "Suites day by day", of("SuitesOverTime"), PROJECT, ENVIRONMENT, FROM, TO
)
def read_suites() -> Response:
    """Of each day of the project's zone [cases that ran, of these bad, bad and known, unchecked],
    as they had ended by its end; and what each suite came to."""
    from saltpath.server.trending.asked import looked
    from saltpath.server.trending.suites import suites_view

    return json_answer(suites_view(looked(project_asked())))


@trends_api.get("/trends/cycles")
@declared(
    "listCycles",
    "What each run came to",
    page("Cycle"),
    PROJECT,
    ENVIRONMENT,
    FROM,
    TO,
    LIMIT,
    SUITE,
)
def list_cycles() -> Response:
    """Newest first."""
    from saltpath.server.trending.asked import looked
    from saltpath.server.trending.suites import cycles_view

    project = project_asked()
    items = cycles_view(looked(project), _suite(project), limit(100))
    return json_answer({"items": items, "next": None})


@trends_api.get("/trends/trust")
@declared("readTrust", "Cases that cannot be trusted", of("Trust"), PROJECT, ENVIRONMENT, FROM, TO)
def read_trust() -> Response:
    """By their last runs up to the end of the stretch: which turn with nothing changed, how often,
    at what, and what it goes with; and which never failed."""
    from saltpath.server.trending.asked import looked
    from saltpath.server.trending.trusted import trust_view

    return json_answer(trust_view(looked(project_asked())))


@trends_api.get("/trends/spent")
@declared("readSpent", "What time is spent on", of("Spent"), PROJECT, ENVIRONMENT, FROM, TO, SUITE)
def read_spent() -> Response:
    """The slowest steps, the longest waits, the largest answers, and what running cases side by
    side would save."""
    from saltpath.server.trending.asked import looked
    from saltpath.server.trending.times import spent_view

    project = project_asked()
    return json_answer(spent_view(looked(project), _suite(project)))


@trends_api.get("/trends/compared")
@declared(
    "readCompared",
    "Two stretches held against each other",
    of("ComparedTimes"),
    PROJECT,
    ENVIRONMENT,
    FROM,
    TO,
    parameter("build", "only runs of this build"),
    parameter("runner", "only what this runner carried out"),
    parameter("againstFrom", "where the other stretch begins; as long before unless it is said"),
    parameter("againstTo", "where it ends; where the first begins unless it is said"),
    parameter("againstEnvironment", "the other's environment; the same unless it is said"),
    parameter("againstBuild", "only runs of this build in the other"),
    parameter("againstRunner", "only what this runner carried out in the other"),
)
def read_compared() -> Response:
    """Times and shares of the one that is asked about against the other, with intervals of 95 %;
    `clear` is what these runs can show, among all that is compared."""
    from saltpath.server.trending.asked import MONTH_S, Looked, environment_of
    from saltpath.server.trending.times import Side, compared_view

    project, args = project_asked(), request.args
    begin, end = stretch(MONTH_S)
    after = Looked(project, environment_of(project), begin, end)
    other = (begin - (end - begin), begin)
    if "againstFrom" in args or "againstTo" in args:
        other = stretch(end - begin, "againstFrom", "againstTo")
    name = environment_of(project, "againstEnvironment")
    before = Looked(project, name if "againstEnvironment" in args else after.environment, *other)
    return json_answer(
        compared_view(
            Side(before, args.get("againstBuild", ""), args.get("againstRunner", "")),
            Side(after, args.get("build", ""), args.get("runner", "")),
        )
    )


@trends_api.get("/trends/table")
@declared(
    "readHistoryTable",
    "What happened, as a table",
    None,
    PROJECT,
    ENVIRONMENT,
    FROM,
    TO,
    parameter("what", "runs, cases, times, days or outages; runs unless it is said"),
    parameter("form", "csv, xlsx or json; json unless it is said"),
    media="text/csv",
    dear=True,
)
def read_table() -> Response:
    """For your own tools, the oldest first, the newest 200,000 rows: each run; each case in it;
    what took how long in it; suites by day; trouble of watches."""
    from saltpath.server.trending import tables
    from saltpath.server.trending.asked import looked

    project, what, form = project_asked(), request.args.get("what", "runs"), _form()
    if what not in TABLES:
        raise Refused(422, "what", f"There is no table {what}; there are {listed(TABLES)}.")
    rows = tables.rows(looked(project), cast("tables.Table", what))
    if form == "json":
        return json_answer({"items": rows, "next": None})
    name = {"Content-Disposition": f'attachment; filename="{what}.{form}"'}
    if form == "csv":
        return Response(
            write_values_csv(rows), content_type="text/csv; charset=utf-8", headers=name
        )
    body = write_values_xlsx([(what.capitalize(), rows)])
    return Response(body, content_type=SHEET, headers=name)


def _form() -> str:
    form = request.args.get("form", "json")
    if form not in ("csv", "xlsx", "json"):
        raise Refused(422, "form", "A table is csv, xlsx or json.")
    return form


def _suite(project: Document) -> int | None:
    """The number of the suite that `?suite=` names."""
    if "suite" not in request.args:
        return None
    suite = suite_asked(request.args["suite"])
    if suite.project != project.id:
        raise Refused(422, "suite", "Name a suite of this project.")
    return suite.id
