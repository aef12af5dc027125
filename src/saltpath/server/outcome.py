"""How a run ended, for whoever waits for it: a pipeline asks once, and is answered when the run has
ended, in the form that it takes (RFC 9110, 12.5.1).

A long wait is kept open by line breaks, which stand before JSON, XML and text without meaning
anything. By then the head of the answer is gone: its status is 200, and it has no `X-Verdict`; what
came of the run stands in the body, as always. Who only looks at statuses asks with
`?status=verdict`: then nothing is sent before it is known, and the wait is cut into pieces by
redirects (303) that are shorter than what proxies wait for.
"""

from __future__ import annotations

import time
from collections.abc import Iterator
from typing import Any
from urllib.parse import urlencode

from flask import Response, current_app, request, stream_with_context
from msgspec import Struct

from saltpath.core.answers.exchange import MASK
from saltpath.core.values import plain
from saltpath.formats.reports import FORMS, Form
from saltpath.formats.reports.junit import write_undeclared
from saltpath.formats.reports.report import Report
from saltpath.formats.reports.summary import sentences
from saltpath.reporting import Stored, report_of, verdict_beside
from saltpath.server.api.views import run_view
from saltpath.server.causes import causes_of
from saltpath.server.context import database
from saltpath.server.problems import Refused, json_answer
from saltpath.server.waiting import Waiting
from saltpath.store import runs

PIECE_S = 50.0
"""The longest that a request with `?status=verdict` takes."""
DID_NOT_PASS = 417
"""The status of a run that did not pass, where statuses are asked for (Expectation Failed)."""
NO_PLACE_S = 1.0
"""So long a client that nobody can wait for is held before it is sent to ask again."""
LOOK_S = 1.0
"""A run is looked at this often even if nothing seems to have changed."""
OUTCOME = "application/json"
TYPES = {
    "application/xml": "junit",
    "text/xml": "junit",
    "text/plain": "text",
    "text/markdown": "markdown",
    "text/html": "html",
    FORMS["xlsx"].media_type: "xlsx",
}
"""Which report a media type means; JSON means the outcome."""
BEATS = ("", "junit", "text", "markdown", "html")
"""The forms that may begin with line breaks; the outcome itself is named by nothing."""


class Wanted(Struct, frozen=True):
    """What somebody wants to know of a run."""

    form: str = ""
    """A report by its name; empty: the outcome."""
    wait_s: float = 0
    beat_s: float = 15
    kept: tuple[str, ...] = ()
    """The kept values that are wanted, by name."""
    allow: frozenset[str] = frozenset()
    """What is not held against the run: known, unchecked."""


def outcome_when_ended(run: runs.Run, wanted: Wanted) -> Response:
    """The outcome of a run once it has ended, or how it stands when the time is up."""
    form = wanted.form
    by_status = request.args.get("status") == "verdict"
    until = time.monotonic() + wanted.wait_s
    waiting: Waiting = current_app.config["WAITING"]
    beats = form in BEATS and not by_status
    with waiting.place() as placed:
        first = min(wanted.wait_s, wanted.beat_s if beats else PIECE_S) if placed else 0
        ended = _ended_within(run, waiting, first)
    left = until - time.monotonic()
    if ended is None and left > 0 and not beats:
        if not placed:
            time.sleep(min(NO_PLACE_S, left))
        return _go_on(run, wanted, left)
    if ended is not None or left <= 0 or not placed:
        return _answer(ended or runs.run(database(), run.oid), wanted, by_status)
    pieces = _beating(run, wanted, waiting, until)
    answer = Response(stream_with_context(pieces), content_type=_type(form))
    answer.headers["Cache-Control"] = "no-store"
    answer.headers["X-Accel-Buffering"] = "no"  # a proxy that gathers what comes hides the beats
    _as_file(answer, run, form)
    return answer


def form_wanted() -> str:
    """The report that the request wants, by its name; empty: the outcome. Raises Refused."""
    named = request.args.get("format")
    if named is not None:
        if named not in FORMS:
            raise Refused(400, "format", f"format is one of {', '.join(FORMS)}.")
        return named
    if not request.accept_mimetypes:
        return ""
    best = request.accept_mimetypes.best_match([OUTCOME, *TYPES])
    if best is None:
        known = ", ".join([OUTCOME, *TYPES])
        raise Refused(406, "not-acceptable", f"There is nothing of this type; there is {known}.")
    return TYPES.get(best, "")


def _type(form: str) -> str:
    return FORMS[form].media_type if form else OUTCOME


def _ended_within(run: runs.Run, waiting: Waiting, seconds: float) -> runs.Run | None:
    """The run once it has ended; None if it has not within the time."""
    end, seen = time.monotonic() + seconds, -1
    while True:
        now = runs.run(database(), run.oid)
        left = end - time.monotonic()
        if now.state == "finished":
            return now
        if left <= 0:
            return None
        seen = waiting.changed(seen, min(left, LOOK_S))


def _beating(run: runs.Run, wanted: Wanted, waiting: Waiting, until: float) -> Iterator[bytes]:
    """Line breaks until the run has ended, and then what came of it."""
    with waiting.place():
        while True:
            yield b"\n"
            left = min(wanted.beat_s, until - time.monotonic())
            ended = _ended_within(run, waiting, max(left, 0))
            if ended is not None or time.monotonic() >= until:
                break
    yield from _body(ended or runs.run(database(), run.oid), wanted, begun=True)


def _answer(run: runs.Run, wanted: Wanted, by_status: bool) -> Response:
    body = _body(run, wanted)
    answer = Response(stream_with_context(body), content_type=_type(wanted.form))
    answer.headers["Cache-Control"] = "no-store"
    answer.headers["Location"] = f"/api/v1/runs/{run.oid}/outcome"
    answer.headers["X-Run"] = run.oid
    _as_file(answer, run, wanted.form)
    if run.state != "finished":
        # whoever looks at statuses alone must not take it for a run that passed
        answer.status_code = DID_NOT_PASS if by_status else 202
        answer.headers["Retry-After"] = "5"
        return answer
    answer.headers["X-Verdict"] = run.verdict or ""
    if by_status and not _is_ok(run, wanted):
        answer.status_code = DID_NOT_PASS
    return answer


def _as_file(answer: Response, run: runs.Run, form: str) -> None:
    """A page that is made of answers of others is a file, and none of ours."""
    if form and not FORMS[form].inline:
        name = f"run-{run.number}.{FORMS[form].ending}"
        answer.headers["Content-Disposition"] = f'attachment; filename="{name}"'


def _go_on(run: runs.Run, wanted: Wanted, left: float) -> Response:
    """Send a client to ask again, for what is left of its time."""
    query: list[tuple[str, str]] = [("wait", f"{left:.1f}")]
    query += [(name, request.args[name]) for name in ("status", "format") if name in request.args]
    query += [("want", name) for name in wanted.kept]
    query += [("allow", name) for name in sorted(wanted.allow)]
    answer = json_answer(run_view(run), 303)
    answer.headers["Location"] = f"/api/v1/runs/{run.oid}/outcome?{urlencode(query)}"
    answer.headers["Cache-Control"] = "no-store"
    return answer


def _stored() -> Stored:
    return Stored(database(), database("evidence"))


def stored_report(run: runs.Run) -> Report:
    return report_of(_stored(), run, f"{request.host_url}runs/{run.oid}", causes_of(run))


def _is_ok(run: runs.Run, wanted: Wanted) -> bool:
    return run.verdict == "passed" or verdict_beside(_stored(), run, wanted.allow) == "passed"


def _body(run: runs.Run, wanted: Wanted, begun: bool = False) -> Iterator[bytes]:
    form = wanted.form
    if run.state != "finished":
        yield from _still_going_on(run, form)
        return
    report = stored_report(run)
    if not form:
        yield plain.write_json(_outcome(run, report, wanted)) + b"\n"
        return
    # nothing may stand before the declaration of XML
    yield from write_undeclared(report) if begun and form == "junit" else FORMS[form].write(report)


def _outcome(run: runs.Run, report: Report, wanted: Wanted) -> dict[str, Any]:
    return {
        **run_view(run),
        "ok": _is_ok(run, wanted),
        "sentences": sentences(report),
        "causes": [cause.plain() for cause in report.causes],
        "kept": _kept(report, wanted.kept),
        "page": report.address,
        "reports": {name: f"/api/v1/runs/{run.oid}/report?format={name}" for name in FORMS},
    }


def _kept(report: Report, names: tuple[str, ...]) -> dict[str, Any]:
    """The last value that was kept under each name; of a run against several environments by where
    that was. What is secret stays so."""
    found: dict[str, Any] = {}
    if not names:
        return found
    for case in report.cases():
        for step in case.steps():
            for name in step.kept.keys() & set(names):
                value = MASK if name in step.secret_kept else step.kept[name]
                if case.environment:
                    found.setdefault(name, {})[case.environment] = value
                else:
                    found[name] = value
    return found


def _still_going_on(run: runs.Run, form: str) -> Iterator[bytes]:
    """What is said of a run that has not ended; in no form does it look as if it had passed."""
    sentence = f"Run {run.number} is {run.state}; it has not ended yet."
    if not form:
        yield plain.write_json(
            {
                **run_view(run),
                "ok": False,
                "sentences": [sentence],
                "causes": [],
                "kept": {},
                "page": f"{request.host_url}runs/{run.oid}",
                "reports": {},
            }
        )
    elif form == "junit":
        yield (
            '<testsuites><testsuite name="Salt Path" tests="1" failures="0" errors="1" '
            f'skipped="0"><testcase name="the run" classname="run {run.number}"><error '
            f'message="{sentence}" type="unfinished"/></testcase></testsuite></testsuites>\n'
        ).encode()
    else:
        yield f"{run.state}: {sentence}\n".encode()


def download(run: runs.Run, form: Form) -> Response:
    """A report as a file. Raises Refused while the run goes on."""
    if run.state != "finished":
        sentence = f"Run {run.number} has not ended yet; its reports are written when it has."
        raise Refused(409, "not-ended", sentence)
    answer = Response(
        stream_with_context(form.write(stored_report(run))), content_type=form.media_type
    )
    answer.headers["Content-Disposition"] = f'attachment; filename="run-{run.number}.{form.ending}"'
    answer.headers["Cache-Control"] = "no-store"
    return answer
