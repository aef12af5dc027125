"""How a run ended, for pipelines and people who keep it: the outcome, and reports in every form."""

from __future__ import annotations

import math

from flask import Blueprint, Response, request

from saltpath.formats.reports import FORMS
from saltpath.server.asked import run_asked
from saltpath.server.declared import ID, declared, of, parameter
from saltpath.server.outcome import Wanted, download, form_wanted, outcome_when_ended
from saltpath.server.problems import Refused
from saltpath.server.run_bodies import MOST_WAIT_S

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
