"""What the runs of a case saw, and what is worked out on it while editing: nothing here sends
anything."""

from __future__ import annotations

import heapq
from collections.abc import Iterator, Mapping
from datetime import UTC, datetime
from itertools import islice
from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.answers.answer import Answer
from saltpath.core.answers.exchange import MASK
from saltpath.core.answers.facts import facts_of
from saltpath.core.answers.subjects import find, read_subject, taken
from saltpath.core.assist.completion import fit, offered
from saltpath.core.assist.observations import places, seen, telling
from saltpath.core.assist.repeated import repeated
from saltpath.core.cases.case import Step
from saltpath.core.cases.expectations import checks_in
from saltpath.core.cases.steps import steps_in
from saltpath.core.checks.doubts import doubt
from saltpath.core.checks.typed import read_sentence, suggestions, write_sentence
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data
from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.references.pipes import KINDS as PIPES
from saltpath.core.running.sent import asker
from saltpath.core.sheet.cells import read_cells
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.measures import show_in
from saltpath.core.values.why import Blocked
from saltpath.server import rejudging
from saltpath.server.api.views import outcome_view, reason, run_view, step_view
from saltpath.server.asked import case_asked
from saltpath.server.bodies import SheetRows, ToClean, ToInsert, Typed
from saltpath.server.context import database, whole
from saltpath.server.declared import ID, declared, of, page, parameter
from saltpath.server.last_answers import judged, last_answer, last_seen, scopes_now
from saltpath.server.problems import json_answer
from saltpath.server.sheets import known_paths
from saltpath.store import cases, evidence, kept_answers, runs

evidence_api = Blueprint("evidence", __name__)
MOST_ANSWERS = 12
MOST_OFFERED = 30
SHEET_CELLS = ("step", "of", "relation", "expected")


@evidence_api.get("/cases/<id>/evidence")
@declared(
    "readCaseEvidence",
    "What its last run saw",
    of("Evidence"),
    ID,
    parameter("run", "one of its runs instead"),
    parameter("environment", "of a run against several, where"),
    parameter("row", "of which row", kind="integer"),
)
def case_evidence(id: str) -> Response:
    """What the last run or trial of this case saw, step by step; a trial's steps lie over the last
    run's. `?run=` asks for what one of its runs saw.

    Steps are those of the case as it is now, wherever they stood then; checks that were edited
    since are judged again on the kept answers."""
    stored = case_asked(id)
    run, where = request.args.get("run", ""), request.args.get("environment", "")
    found = judged(stored, run, whole("row", 0) or None, where)
    items = [
        {
            **step_view(of.seen, of.run.oid, of.again),
            **{name: of.where[name] for name in ("part", "index", "place")},
            "key": of.step.key,
            "run": of.run.oid,
            "runNumber": of.run.number,
            "runKind": of.run.kind,
            "namespaces": [{"prefix": prefix, "uri": uri} for prefix, uri in of.namespaces],
            "inside": [step_view(inner, of.run.oid) for inner in of.inside],
        }
        for of in found.steps
    ]
    return json_answer(
        {
            "run": run_view(found.newest) if found.newest is not None else None,
            "verdict": found.verdict,
            "steps": items,
        }
    )


@evidence_api.post("/cases/<id>/sentences")
@declared(
    "readSentence",
    "What a typed check means, and how it holds of the last answer",
    of("Understood"),
    ID,
    takes=Typed,
    may="read",
)
def read_typed(data: Typed, id: str) -> Response:
    """A typed check: as the document writes it, how it holds of the step's last answer, or what
    could not be understood."""
    stored = case_asked(id)
    text, key = data.text, data.step
    last = last_answer(stored, key)
    paths = rejudging.paths_in(last[1] if last else None)
    result: dict[str, Any] = {
        "check": None,
        "typed": "",
        "outcome": None,
        "problem": "",
        "doubt": "",
        "suggestions": suggestions(text, paths),
    }
    try:
        check = read_sentence(text, rejudging.by_last_name(paths))
        step = {"request": "x", "send": "GET http://x/", "expect": [check]}
        read = case_from_data({"salt-path": 1, "case": "x", "steps": [step]}).steps[0]
    except (Unreadable, FormatError) as problem:
        return json_answer({**result, "problem": str(problem)})
    result |= {"check": check, "typed": write_sentence(check)}
    if read.answered:
        result["doubt"] = _doubt(stored, key, read)
    if last is not None and read.answered:
        seen_last, answer, scopes = last
        scopes.asking = asker(seen_last.exchanges[-1], answer, scopes)
        result["outcome"] = outcome_view(
            rejudging.judge_kept(read.expect[0], answer, scopes), again=True
        )
    return json_answer(result)


@evidence_api.post("/cases/<id>/sheet")
@declared(
    "readSheet", "Rows of a sheet as checks", page("SheetRow"), ID, takes=SheetRows, may="read"
)
def read_sheet(data: SheetRows, id: str) -> Response:
    """Rows of a sheet, at most 5,000: each the check that its cells say, or why they say none; the
    others stand. A field may be called by its last name where the step's last answer has just one
    of that name."""
    stored = case_asked(id)
    known = known_paths([stored])
    items = [
        _row([row.of, row.relation, row.expected], known(stored.key, row.step)) for row in data.rows
    ]
    return json_answer({"items": items, "next": None})


def _row(words: list[str], known: Mapping[str, str]) -> dict[str, Any]:
    try:
        check = read_cells(words[0], words[1], words[2], known)
        case_from_data(
            {
                "salt-path": 1,
                "case": "x",
                "steps": [{"request": "x", "send": "GET http://x/", "expect": [check]}],
            }
        )
    except (Unreadable, FormatError) as problem:
        return {"check": None, "problem": str(problem)}
    return {"check": check, "problem": ""}


@evidence_api.get("/cases/<id>/steps/<key>/seen")
@declared(
    "readSeen",
    "What a step's last answers have shown",
    of("Seen"),
    ID,
    parameter("key", "the step's key", True, "path"),
)
def seen_places(id: str, key: str) -> Response:
    """What the last answers of a step have shown, place by place: only answers of the status that
    the newest has."""
    answers = _answers(case_asked(id), key)
    found = seen(answers) if answers else []
    return json_answer(
        {
            "answers": len(answers),
            "places": [
                {
                    "path": place.path,
                    "kinds": place.kinds,
                    "values": [plain.write_json(v).decode() for v in place.values],
                    "distinct": place.distinct,
                    "present": place.present,
                    "loose": reason(place.loose),
                }
                for place in found
            ],
        }
    )


def _doubt(stored: cases.StoredCase, key: str, read: Step) -> str:
    """Why a check that was typed says nothing, by what the step's kept answers had; empty where it
    does."""
    checks = list(checks_in(read.expect))
    if not any(check.of.kind == "path" for check in checks):
        return next((why.sentence for check in checks if (why := doubt(check)) is not None), "")
    answers = _answers(stored, key)
    places = {place.path: place for place in (seen(answers) if answers else [])}
    for check in checks:
        place = places.get(check.of.text)
        always = place is not None and place.present == len(answers)
        why = doubt(check, place.kinds if place is not None and always else (), always)
        if why is not None:
            return why.sentence
    return ""


def _answers(stored: cases.StoredCase, key: str) -> list[tuple[Any, datetime]]:
    """The last JSON answers of a step, newest first, each with its moment: those of the status that
    the newest has."""
    answers: list[tuple[Any, datetime]] = []
    status = None
    for run, position in runs.last_runs_of_case(
        database(), stored.project, stored.id, MOST_ANSWERS
    ):
        for step in evidence.steps_with_key(database("evidence"), run, position, key):
            answer = kept_answers.answer_of(step)
            document = _document_of(answer)
            if answer is None or document is MISSING or status not in (None, answer.status):
                continue
            status = answer.status
            answers.append((document, datetime.fromtimestamp(step.head.at / 1e6, UTC)))
    return answers


def _document_of(answer: Answer | None) -> Any:
    if answer is None or not answer.looks_json or len(answer.body) > kept_answers.LARGEST_BODY:
        return MISSING
    return answer.json()


def _pointable(answer: Answer | None) -> Iterator[tuple[str, Any, str]]:
    """Subject, value and unit of each place of an answer, its body's first."""
    document = _document_of(answer)
    for path, value in places(document) if document is not MISSING else ():
        yield path, value, ""
    if answer is not None:
        yield from facts_of(answer)


def _earlier(
    stored: cases.StoredCase, before: str = ""
) -> Iterator[tuple[int, dict[str, Any], Answer | None]]:
    """Number, step document and last answer of the request steps before a key; all without it."""
    _, _, found = last_seen(stored)
    for number, step in enumerate(steps_in(stored.document), 1):
        if step.get("key") == before:
            return
        if "request" in step:
            seen_of = found.get(step["key"])
            yield number, step, kept_answers.answer_of(seen_of[1]) if seen_of else None


@evidence_api.get("/cases/<id>/places")
@declared(
    "pickPlaces",
    "Values of earlier answers",
    page("EarlierPlace"),
    ID,
    parameter("before", "the key of the step that wants one"),
    parameter("text", "what its place or its value holds"),
)
def pick_places(id: str) -> Response:
    """Values of earlier answers that a step can use: those that `?text=` fits best, of the same fit
    the nearest step's first."""
    stored = case_asked(id)
    typed = request.args.get("text", "")
    found: list[tuple[int, dict[str, Any]]] = []
    for number, step, answer in reversed(list(_earlier(stored, request.args.get("before", "")))):
        for path, value, unit in _pointable(answer):
            shown = show_in(value, unit, 80) if not isinstance(value, dict | list) else ""
            if path.startswith("cookie "):
                shown = "a secret"
            rank = (
                fit(typed, path, shown, str(step["send"])) if shown and MASK not in shown else None
            )
            if rank is not None:
                item = {
                    "step": step["key"],
                    "number": number,
                    "name": step["request"],
                    "path": path,
                    "value": shown,
                }
                found.append((rank, item))
    best = heapq.nsmallest(MOST_OFFERED, found, key=lambda pair: pair[0])  # a stable order
    return json_answer({"items": [item for _, item in best], "next": None})


@evidence_api.post("/cases/<id>/insertable")
@declared(
    "listInsertable",
    "What a reference could be",
    page("Insertable"),
    ID,
    takes=ToInsert,
    may="read",
)
def what_can_be_inserted(data: ToInsert, id: str) -> Response:
    """For a reference that is being typed in a step: pipes that fit the value there, or generators,
    each with what it would give; from the seed and the kept values of the last run."""
    stored = case_asked(id)
    found = list(islice(offered(data.text, scopes_now(stored, data.step)), MOST_OFFERED))
    items = [
        {
            "text": item.text,
            "value": "a secret" if MASK in item.value else item.value,
            "about": item.about,
            "made": item.made,
        }
        for item in found
    ]
    return json_answer({"items": items, "next": None})


@evidence_api.get("/cases/<id>/repeated")
@declared("listRepeated", "Literals that earlier answers hold", page("Repeated"), ID)
def repeated_literals(id: str) -> Response:
    """Literals in requests that equal a value of an earlier step's last answer: offered as
    hand-overs."""
    known: dict[str, tuple[str, str]] = {}
    items: list[dict[str, Any]] = []
    for _, step, answer in _earlier(case_asked(id)):
        document = _document_of(answer)
        items += [
            {"step": step["key"], "literal": literal, "from": key, "path": path}
            for literal, key, path in repeated(step, known)
        ]
        for path, value in places(document) if document is not MISSING else ():
            text = telling(value)
            if text and MASK not in text:
                known[text] = (step["key"], path)
    return json_answer({"items": items[:MOST_OFFERED], "next": None})


@evidence_api.post("/cases/<id>/kept")
@declared(
    "cleanKept", "What a place with its pipes gives", of("Cleaned"), ID, takes=ToClean, may="read"
)
def clean_kept(data: ToClean, id: str) -> Response:
    """What a place with its pipes gives on the step's last answer, or why it gives nothing; and the
    pipes there are."""
    stored = case_asked(id)
    text, key = data.of, data.step
    head, bar, typed = text.rpartition("|")
    fitting = [kind for kind in PIPES.values() if bar and kind.name.startswith(typed.strip())]
    pipes = [{"text": f"{head.strip()} | {kind.shape}", "about": kind.about} for kind in fitting]
    result: dict[str, Any] = {"value": None, "problem": "", "pipes": pipes}
    try:
        subject = read_subject(text.strip())
    except Unreadable as problem:
        return json_answer({**result, "problem": str(problem)})
    last = last_answer(stored, key)
    if last is None:
        return json_answer({**result, "problem": "This step has no answer yet to try it on."})
    _, answer, scopes = last
    if kept_answers.may_take_long(subject, len(answer.body)):
        return json_answer(
            {**result, "problem": "This place is looked up when the case runs next."}
        )
    try:
        there = find(subject, answer, scopes)
    except Blocked as problem:
        return json_answer({**result, "problem": problem.reason.sentence})
    if not there.nodes:
        return json_answer(
            {**result, "problem": there.nothing.sentence if there.nothing else f"nothing at {text}"}
        )
    value = taken(there)
    masked = MASK in plain.as_text(value)
    return json_answer({**result, "value": "a secret" if masked else plain.show(value, 2000)})
