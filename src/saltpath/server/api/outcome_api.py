"""How a run ended, for pipelines and people who keep it: the outcome, and reports in every form."""

from __future__ import annotations

import math

from flask import Blueprint, Response, request

from saltpath.core.values.verdicts import worst
from saltpath.formats.badge import badge
from saltpath.formats.reports import FORMS
from saltpath.server.asked import project_asked, run_asked, suite_asked
from saltpath.server.bodies import MOST_WAIT_S
from saltpath.server.context import database
from saltpath.server.declared import ID, PROJECT, declared, of, parameter
from saltpath.server.outcome import Wanted, download, form_wanted, outcome_when_ended
from saltpath.server.problems import Refused
from saltpath.store import runs
from saltpath.store.database import NotFound

outcome_api = Blueprint("outcome", __name__)
ALLOWED = ("known", "unchecked")
MOST_WANTED = 100
FORMAT = parameter("format", f"one of {', '.join(FORMS)}; by default what Accept names")


@outcome_api.get("/runs/<id>/outcome")
@declared(
    "readOutcome",
    "How a run ended",
    of("RunOutcome"),
    ID,
    FORMAT,
    parameter("wait", "seconds to wait for its end, at most 3600", kind="number"),
    parameter("beat", "seconds between line breaks while it waits", kind="number"),
    parameter("want", "the name of a kept value that is to be told; several times for several"),
    parameter("allow", "known or unchecked: not held against it; twice for both"),
    parameter("status", "verdict: 417 for a run that did not pass, 202 while it goes on"),
)
def read_outcome(id: str) -> Response:
    """In the form that Accept names: JSON, JUnit (application/xml), a few sentences (text/plain,
    text/markdown), a page (text/html)."""
    run = run_asked(id)
    wanted = Wanted(
        form_wanted(),
        _seconds("wait", 0, 0, MOST_WAIT_S),
        _seconds("beat", 15, 0.1, 55),
        tuple(request.args.getlist("want")[:MOST_WANTED]),
        frozenset(_allowed()),
    )
    return outcome_when_ended(run, wanted)


@outcome_api.get("/runs/<id>/report")
@declared("readReport", "A report of a run, as a file", None, ID, FORMAT, dear=True)
def read_report(id: str) -> Response:
    """HTML in one file, JUnit, JSON, a workbook, HAR, Markdown or text."""
    run = run_asked(id)
    form = FORMS.get(request.args.get("format", ""))
    if form is None:
        raise Refused(400, "format", f"Name one of {', '.join(FORMS)}: ?format=html.")
    return download(run, form)


@outcome_api.get("/badge")
@declared(
    "readBadge",
    "How it stands, as a picture",
    None,
    PROJECT,
    parameter("suite", "only this suite's cases"),
    parameter("environment", "only runs against this environment"),
    media="image/svg+xml",
)
def read_badge() -> Response:
    """Of the newest run that has ended."""
    project = project_asked()
    suite = suite_asked(request.args["suite"]) if "suite" in request.args else None
    if suite is not None and suite.project != project.id:
        raise NotFound("there is no such suite in this project")
    environment = request.args.get("environment")
    counts = runs.last_counts(database(), project.id, environment, suite.id if suite else None)
    name = suite.name if suite else project.name
    if environment:
        name = f"{name}, {environment}"
    total = sum(counts.values())
    said = f"{counts.get('passed', 0)} of {total} passed" if total else "not run yet"
    verdict = worst(counts) if counts else ""
    picture = badge(name, verdict, said)
    answer = Response(picture, content_type="image/svg+xml")
    answer.headers["Cache-Control"] = "no-cache"
    answer.add_etag()
    answer.make_conditional(request)
    return answer


def _allowed() -> list[str]:
    allowed = request.args.getlist("allow")
    if not set(allowed) <= set(ALLOWED):
        raise Refused(400, "allow", "allow is known or unchecked.")
    return allowed


def _seconds(name: str, default: float, least: float, most: float) -> float:
    try:
        seconds = float(request.args.get(name, default))
    except ValueError:
        seconds = math.nan
    if not least <= seconds <= most:
        raise Refused(400, name, f"{name} is a number of seconds from {least:g} to {most:g}.")
    return seconds
