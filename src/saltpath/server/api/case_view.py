"""One case as pages need it: its document, how it reads, what surrounds it, where its rows come
from, what is wrong with it."""

from __future__ import annotations

from typing import Any

from flask import Response, request
from msgspec.structs import replace

from saltpath.core.assist.inspect import Finding, inspect, surroundings
from saltpath.core.assist.outline import outline
from saltpath.core.cases.case import Case, NamedValues, Project, Suite
from saltpath.core.cases.row_sources import (
    ListRows,
    Source,
)
from saltpath.core.format.readable import Broken
from saltpath.core.format.writer import write_document
from saltpath.core.references.scopes import Scopes
from saltpath.core.running.inherited import signed_in, values_of_suite
from saltpath.core.values import plain
from saltpath.core.values.why import Why, why
from saltpath.server.api.views import cell_text, every_answer_view, moment, reason, sign_in_view
from saltpath.server.compiled import broken, environment_of, project_of
from saltpath.server.context import database
from saltpath.server.last_answers import keep_again, last_seen
from saltpath.server.problems import json_answer
from saltpath.server.rejudging import scopes_of
from saltpath.server.shared_cases import shared_view, with_shared
from saltpath.server.sources import Begin, begin_of, source_of
from saltpath.server.suite_roles import role_in, with_handed
from saltpath.store import cases, projects, single
from saltpath.store.database import now_us


def case_answer(stored: cases.StoredCase) -> Response:
    connection = database()
    suite = projects.suite_by_id(connection, stored.suite)
    project = projects.project_by_id(connection, stored.project)
    case = with_shared(stored)
    usual = project.document.get("environment", "")
    usual_first = sorted(
        projects.environments(connection, stored.project), key=lambda e: e.name != usual
    )
    environments = [environment_of(e).values for e in usual_first]
    standing = projects.standing(connection, suite)
    of_suite, of_project = with_handed(suite), project_of(project)
    shared = of_project.values
    source = source_of(stored.project, case.rows, of_project)
    begin = begin_of_case(stored, case, of_suite, of_project, source)
    may_differ = begin.names is None or not isinstance(source, Source) or source.may_differ
    columns = None if may_differ else frozenset(begin.names or ())
    around = surroundings((), of_suite, shared, environments)
    around = replace(around, columns=columns, databases=frozenset(of_project.databases))
    signed = signed_in(case, of_suite, of_project)
    findings = [
        {
            "weight": f.weight,
            "step": f.step,
            "path": f.place.path,
            "name": str(f.why.params.get("name", "")),
            "secret": _written_out(f),
            **(reason(f.why) or {}),
        }
        for f in inspect(signed, around)
    ]
    findings += [_unread(item) for item in broken(stored)]
    answer = json_answer(
        {
            "id": stored.oid,
            "project": project.oid,
            "suite": {"id": suite.oid, "name": suite.name},
            "role": role_in(suite, stored),
            "shared": shared_view(stored) if case.is_shared else None,
            "single": suite.hidden == single.SINGLE,
            "key": stored.key,
            "name": stored.name,
            "about": case.about,
            "register": case.register,
            "tags": list(case.tags),
            "onFailure": "stop" if case.stop_on_failure else "go on",
            "values": _values(case.values),
            "rows": _rows(case, source, begin),
            "scope": [
                *(
                    {"name": name, "value": plain.show(value), "secret": False, "from": "row"}
                    for name, value in _first(begin)
                ),
                *(
                    {"name": name, "value": "", "secret": False, "from": "row"}
                    for name in begin.names or ()
                    if not begin.rows
                ),
            ]
            + [
                {"name": name, "value": "", "secret": False, "from": "suite"}
                for name in sorted({name for level in of_suite.levels for name in level.handed})
            ]
            + [
                {**value, "from": name}
                for name, several in (
                    ("suite", values_of_suite(of_suite)),
                    ("project", [*environments, shared]),
                )
                for value in {
                    v["name"]: v for part in reversed(several) for v in _values(part)
                }.values()
            ],
            "version": stored.version,
            "changedAt": moment(stored.at),
            "document": stored.document,
            **({} if request.args.get("text") == "false" else {"text": _text(stored)}),
            "everyAnswer": [
                every_answer_view("project", project, of_project.every_answer),
                *(
                    every_answer_view("suite", level, read.every_answer)
                    for level, read in zip(standing, of_suite.levels, strict=True)
                ),
                every_answer_view("case", stored, case.every_answer),
            ],
            "signIns": [
                sign_in_view("project", project, of_project.auth),
                *(
                    sign_in_view("suite", level, read.auth)
                    for level, read in zip(standing, of_suite.levels, strict=True)
                ),
                sign_in_view("case", stored, case.auth),
            ],
            **outline(signed),
            "findings": findings,
        }
    )
    answer.headers["ETag"] = f'"{stored.version}"'
    return answer


def _text(stored: cases.StoredCase) -> str:
    """The case as text; one that cannot be read as it was stored, so that it can be mended."""
    if stored.unread is None:
        return write_document(stored.document, stored.comments)
    try:
        return write_document(stored.unread, {})
    except Exception:  # it was written for documents, and this is none
        return plain.write_json(stored.unread).decode()


def _unread(item: Broken) -> dict[str, Any]:
    """Something that keeps a stored case from being read."""
    reason_of = why("stored-unread", problem=item.sentence)
    return {
        "weight": "error",
        "step": 0,
        "path": item.place,
        "name": "",
        "secret": None,
        **(reason(reason_of) or {}),
    }


def _written_out(finding: Finding) -> dict[str, str] | None:
    """Which secret is written out: a header, a sign-in or a value, by its name or kind."""
    params = finding.why.params
    if finding.why.code != "secret-in-text":
        return None
    return {"at": params["at"], "called": params["called"]}


def begin_of_case(
    stored: cases.StoredCase,
    case: Case,
    suite: Suite,
    project: Project,
    source: Source | Why | None,
) -> Begin:
    """How a case's rows begin; those of a list that its last run kept, too."""
    if case.rows is None:
        return begin_of(stored.project, source)
    scopes = scopes_for_rows(case, suite, project)
    if isinstance(source, ListRows):
        keep_again(case, last_seen(stored)[2], scopes)
    return begin_of(stored.project, source, scopes)


def scopes_for_rows(case: Case, suite: Suite, project: Project) -> Scopes:
    """What rows are made in, so that they can be shown before a run."""
    scopes = scopes_of(case, suite, project, None, ())
    scopes.seeded, scopes.now_us = (1, case.key, 1), now_us()
    scopes.built_in = {"run.seed": 1, "run.number": 1, "case.name": case.name}
    return scopes


def _first(begin: Begin) -> list[tuple[str, Any]]:
    return list(begin.rows[0].values.items()) if begin.rows else []


def _rows(case: Case, source: Source | Why | None, begin: Begin) -> dict[str, Any] | None:
    """Where the rows come from, their columns, and the first of them; None of a case without
    rows."""
    if case.rows is None:
        return None
    return {
        "source": case.rows.title() if case.rows.kind == "named" else "",
        "file": source.reads_file() if isinstance(source, Source) else "",
        "kind": source.kind if isinstance(source, Source) else "",
        "pick": case.rows.pick,
        "columns": begin.names or [],
        "first": [
            [cell_text(row.values.get(name)) for name in begin.names or ()] for row in begin.rows
        ],
        "problem": begin.problem,
    }


def _values(values: NamedValues) -> list[dict[str, Any]]:
    shown = [
        {"name": name, "value": plain.show(value), "secret": False}
        for name, value in values.values.items()
    ]
    return shown + [{"name": name, "value": "", "secret": True} for name in sorted(values.secret)]
