"""Projects, environments, suites and cases."""

from __future__ import annotations

import re
from typing import Any

from flask import Blueprint, Response, request

from saltpath.core import plain
from saltpath.core.case import Case, NamedValues, Request
from saltpath.core.checks.typed import read_sentence, suggestions, write_sentence
from saltpath.core.format.carried import carried
from saltpath.core.format.project import read_environment, read_project, read_suite
from saltpath.core.format.reader import case_from_data
from saltpath.core.format.source import FormatError, read_source
from saltpath.core.format.writer import write_document
from saltpath.core.grammar import Unreadable
from saltpath.core.inspect import inspect, surroundings
from saltpath.core.outline import outline
from saltpath.core.scopes import Scopes
from saltpath.server import again
from saltpath.server.api.views import moment, ms, outcome_view, reason, run_view, step_view
from saltpath.server.context import actor, body, database, project_asked
from saltpath.server.problems import Refused, json_answer
from saltpath.store import cases, evidence, people, projects, runs

documents = Blueprint("documents", __name__)


@documents.get("/me")
def me() -> Response:
    person = actor()
    return json_answer(_person(person))


def _person(person: people.Person) -> dict[str, Any]:
    initials = "".join(word[0] for word in person.name.split()[:2]).upper()
    return {"id": person.oid, "name": person.name, "initials": initials, "role": person.role}


@documents.get("/projects")
def list_projects() -> Response:
    items = [{"id": p.oid, "name": p.name, "about": p.document.get("about", "")} for p in projects.projects(database())]
    return json_answer({"items": items, "next": None})


@documents.get("/environments")
def list_environments() -> Response:
    project = project_asked()
    chosen = project.document.get("environment", "")
    items = [
        {
            "id": e.oid,
            "name": e.name,
            "about": e.document.get("about", ""),
            "guarded": bool(e.document.get("guarded")),
            "usual": e.name == chosen,
        }
        for e in projects.environments(database(), project.id)
    ]
    return json_answer({"items": items, "next": None})


@documents.get("/suites")
def list_suites() -> Response:
    """The outline: every suite with its cases, each with its last verdict and since when."""
    project = project_asked()
    connection = database()
    last = runs.last_of_cases(connection, project.id)
    by_suite: dict[int, list[dict[str, Any]]] = {}
    for case in cases.cases(connection, project.id):
        by_suite.setdefault(case.suite, []).append(_case_line(case, last.get(case.id)))
    items = [
        {"id": s.oid, "name": s.name, "about": s.document.get("about", ""), "cases": by_suite.get(s.id, [])}
        for s in projects.suites(connection, project.id)
    ]
    return json_answer({"items": items, "next": None})


def _case_line(case: cases.StoredCase, last: dict[str, Any] | None) -> dict[str, Any]:
    steps = [s for part in ("steps", "afterwards") for s in case.document.get(part, [])]
    return {
        "id": case.oid,
        "name": case.name,
        "about": case.document.get("about", ""),
        "register": case.document.get("register", ""),
        "tags": case.document.get("tags", []),
        "steps": len(steps),
        "checks": sum(len(step.get("expect", [])) for step in steps),
        "last": {
            "verdict": last["verdict"],
            "at": moment(last["at"]),
            "since": moment(last["since"]),
            "ms": ms(last["us"]),
            "verdicts": last["verdicts"],
        }
        if last
        else None,
    }


@documents.get("/cases/<id>")
def read_case(id: str) -> Response:
    """One case: its document, how it reads, and what is wrong with it."""
    return _case_answer(cases.case(database(), id))


def _case_answer(stored: cases.StoredCase) -> Response:
    connection = database()
    suite = _suite_of(stored)
    project = projects.project_by_id(connection, stored.project)
    case = case_from_data(stored.document)
    environments = [read_environment(e.document).values for e in projects.environments(connection, stored.project)]
    values, shared = read_suite(suite.document).values, read_project(project.document).values
    around = surroundings((), values, shared, environments)
    findings = [
        {"weight": f.weight, "step": f.step, "path": f.place.path, **(reason(f.why) or {})}
        for f in inspect(case, around)
    ]
    answer = json_answer(
        {
            "id": stored.oid,
            "project": project.oid,
            "suite": {"id": suite.oid, "name": suite.name},
            "key": stored.key,
            "name": stored.name,
            "about": case.about,
            "register": case.register,
            "tags": list(case.tags),
            "onFailure": "stop" if case.stop_on_failure else "go on",
            "values": _values(case.values),
            "scope": [
                {**value, "from": name}
                for name, several in (("suite", [values]), ("project", [shared, *environments]))
                for value in {v["name"]: v for part in reversed(several) for v in _values(part)}.values()
            ],
            "version": stored.version,
            "changedAt": moment(stored.at),
            "document": stored.document,
            "text": write_document(stored.document, stored.comments),
            **outline(case),
            "findings": findings,
        }
    )
    answer.headers["ETag"] = f'"{stored.version}"'
    return answer


def _suite_of(stored: cases.StoredCase) -> projects.Document:
    return next(s for s in projects.suites(database(), stored.project) if s.id == stored.suite)


def _values(values: NamedValues) -> list[dict[str, Any]]:
    shown = [{"name": name, "value": plain.show(value), "secret": False} for name, value in values.values.items()]
    return shown + [{"name": name, "value": "", "secret": True} for name in sorted(values.secret)]


_ETAG = re.compile(r'(?:W/)?"(\d{1,15})"')


@documents.put("/cases/<id>")
def save_case(id: str) -> Response:
    """Save the case, given as `document` or as `text`, on top of the version that If-Match names."""
    found = _ETAG.fullmatch(request.headers.get("If-Match", "").strip())
    if found is None:
        raise Refused(428, "if-match-missing", 'Say which version you changed: If-Match: "3".')
    document, comments = _given_document(body())
    case_from_data(document)
    if comments is None:
        before = cases.case(database(), id)
        comments = carried(before.document, document, before.comments)
    stored = cases.save_case(database(), id, actor().id, int(found[1]), document, comments)
    return _case_answer(stored)


def _given_document(data: dict[str, Any]) -> tuple[dict[str, Any], dict[str, list[str]] | None]:
    """The document, and its comments where it came as text."""
    comments: dict[str, list[str]] | None = None
    if isinstance(data.get("text"), str):
        source = read_source(data["text"])
        document, comments = source.root.data(), source.comments
    else:
        document = data.get("document")
    if not isinstance(document, dict):
        raise Refused(400, "document-missing", "Give the case as document (an object) or as text.")
    return document, comments


@documents.post("/cases")
def add_case() -> Response:
    """A new case in a suite, from a `document` or a `text` of the case format."""
    data = body()
    project = projects.project(database(), str(data.get("project", "")))
    suite = next((s for s in projects.suites(database(), project.id) if s.oid == data.get("suite")), None)
    if suite is None:
        raise Refused(422, "suite-missing", "Name a suite of this project.")
    document, comments = _given_document(data)
    case_from_data(document)
    stored = cases.add_case(database(), project.id, suite.id, actor().id, document, comments or {})
    answer = _case_answer(stored)
    answer.status_code = 201
    answer.headers["Location"] = f"/api/v1/cases/{stored.oid}"
    return answer


@documents.get("/cases/<id>/evidence")
def case_evidence(id: str) -> Response:
    """What the last run or trial of this case saw, step by step; a trial's steps lie over the last run's.

    Steps are those of the case as it is now, wherever they stood then; checks that were edited since are judged again on
    the kept answers."""
    stored = cases.case(database(), id)
    case = case_from_data(stored.document)
    newest, verdict, found = _last_seen(stored)
    scopes = _scopes(stored, case, newest, [seen for _, seen in found.values()])
    items = []
    for part, index, step in case.parts():
        if step.key not in found:
            continue
        run, seen = found[step.key]
        again_flags: tuple[bool, ...] = ()
        if isinstance(step, Request):
            seen, again_flags = again.judged(step, seen, scopes)
        view = step_view(seen, run.oid, again_flags)
        items.append(
            {**view, "part": part, "index": index, "run": run.oid, "runNumber": run.number, "runKind": run.kind}
        )
    return json_answer({"run": run_view(newest) if newest is not None else None, "verdict": verdict, "steps": items})


def _last_seen(
    stored: cases.StoredCase,
) -> tuple[runs.Run | None, str | None, dict[str, tuple[runs.Run, evidence.StepEvidence]]]:
    """The newest run or trial of the case with its verdict, and by step key which run saw the step last, and what."""
    found: dict[str, tuple[runs.Run, evidence.StepEvidence]] = {}
    newest: runs.Run | None = None
    verdict = None
    for kind in ("run", "trial"):
        last = runs.last_run_of_case(database(), stored.project, stored.id, (kind,))
        if last is None or (newest is not None and last[0] < newest.id):
            continue
        run = newest = runs.run_by_id(database(), last[0])
        verdict = runs.verdict_of_case(database(), *last)
        found |= {step.key: (run, step) for step in evidence.steps(database("evidence"), *last)}
    return newest, verdict, found


def _scopes(stored: cases.StoredCase, case: Case, run: runs.Run | None, seen: list[evidence.StepEvidence]) -> Scopes:
    project = projects.project_by_id(database(), stored.project)
    environments = [read_environment(e.document) for e in projects.environments(database(), stored.project)]
    environment = next((e for e in environments if run is not None and e.name == run.environment), None)
    return again.scopes_of(
        case, read_suite(_suite_of(stored).document), read_project(project.document), environment, seen
    )


@documents.post("/cases/<id>/sentences")
def read_typed(id: str) -> Response:
    """A typed check: as the document writes it, how it holds of the step's last answer, or what could not be understood."""
    stored = cases.case(database(), id)
    data = body()
    text, key = data.get("text"), data.get("step")
    if not isinstance(text, str) or not isinstance(key, str) or len(text) > 20_000:
        raise Refused(400, "sentence-missing", "Give the sentence as text, and the key of its step as step.")
    case = case_from_data(stored.document)
    _, _, found = _last_seen(stored)
    answer = again.answer_of(found[key][1]) if key in found else None
    paths = again.paths_in(answer)
    result: dict[str, Any] = {"check": None, "typed": "", "outcome": None, "problem": "",
                              "suggestions": suggestions(text, paths)}  # fmt: skip
    try:
        check = read_sentence(text, again.by_last_name(paths))
        step = {"request": "x", "send": "GET http://x/", "expect": [check]}
        read = case_from_data({"salt-path": 1, "case": "x", "steps": [step]}).steps[0]
    except (Unreadable, FormatError) as problem:
        return json_answer({**result, "problem": str(problem)})
    result |= {"check": check, "typed": write_sentence(check)}
    if answer is not None and isinstance(read, Request):
        scopes = _scopes(stored, case, found[key][0], [step for _, step in found.values()])
        result["outcome"] = outcome_view(again.judge_kept(read.expect[0], answer, scopes), again=True)
    return json_answer(result)
