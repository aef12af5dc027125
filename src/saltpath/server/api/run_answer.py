"""A run with its cases and their steps, as its page asks for it again and again while it runs: what
a case has become is written out once, and again when its steps or its state are others."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec
from msgspec import Struct

from saltpath.core.assist.outline import placed
from saltpath.core.cases.case import Case
from saltpath.core.values import plain
from saltpath.server.api.views import head_view, ms, reason, run_view
from saltpath.server.caches import LruCache, VersionCache
from saltpath.server.context import database
from saltpath.server.shared_cases import with_shared
from saltpath.store import cases, evidence, projects, run_rows, runs, shared_steps
from saltpath.store.run_rows import Order, RunRow


class _Plan(Struct, frozen=True):
    """What the view of a run needs of a case at the version that was run; `keeps`: the names that
    its steps keep, in their order."""

    names: msgspec.Raw
    has_rows: bool
    keeps: list[str]


_lines: LruCache[msgspec.Raw] = LruCache(20_000_000, lambda line: 2 * len(memoryview(line)))
"""The cases of runs as they are written out."""
_plans: VersionCache[_Plan] = VersionCache(5_000)
"""By the versions of the case and of all shared steps of its project."""


def run_with_cases(run: runs.Run) -> dict[str, Any]:
    connection = database()
    entries = runs.run_cases(connection, run.id)
    shared = tuple(
        (head.oid, head.version) for head in cases.heads(connection, run.project, shared_steps.KIND)
    )
    plans = [
        _plans.of(entry.case, (entry.version, shared), partial(_planned, entry))
        for entry in entries
    ]
    with_rows = [
        entry.position for entry, plan in zip(entries, plans, strict=True) if plan.has_rows
    ]
    heads = evidence.heads(database("evidence"), run.id, with_rows)
    view = run_view(run)
    view["cases"] = [
        _line(run, entry, plan, heads.get(entry.position, "[]"), shared)
        for entry, plan in zip(entries, plans, strict=True)
    ]
    view["project"] = projects.project_by_id(connection, run.project).oid
    return view


def _line(
    run: runs.Run, entry: runs.RunCase, plan: _Plan, heads: str, shared: tuple[Any, ...]
) -> msgspec.Raw:
    """A case of a run, written out; what is remembered of it holds as long as nothing that it says
    is different."""
    make = partial(_written, run, entry, plan, heads)
    if plan.has_rows and entry.state != "finished":
        return make()  # its rows come and go without its steps
    version = (
        entry.state,
        entry.verdict,
        entry.us,
        entry.name,
        entry.suite,
        entry.version,
        heads,
        shared,
    )
    return _lines.of(f"{run.oid} {entry.position}", version, make)


def _written(run: runs.Run, entry: runs.RunCase, plan: _Plan, heads: str) -> msgspec.Raw:
    view = {
        "position": entry.position,
        "case": entry.case,
        "name": entry.name,
        "suite": entry.suite,
        "state": entry.state,
        "verdict": entry.verdict,
        "why": reason(entry.why),
        "ms": ms(entry.us),
        "steps": [head_view(head) for head in evidence.read_heads(heads)],
        "stepNames": plan.names,
        "rows": _rows_view(run, entry, plan),
    }
    return msgspec.Raw(plain.write_json(view))


def _planned(entry: runs.RunCase) -> _Plan:
    case = with_shared(cases.case_at(database(), entry.case_id, entry.version))
    kept = [name for _, step in case.every_step() for name in step.keeps()]
    return _Plan(
        msgspec.Raw(plain.write_json(_step_names(case))),
        case.rows is not None,
        list(dict.fromkeys(kept)),
    )


def _rows_view(run: runs.Run, entry: runs.RunCase, plan: _Plan) -> dict[str, Any] | None:
    """How many rows a case had of which verdict so far, their columns in order, and what their
    steps keep; None of a case without rows."""
    if not plan.has_rows:
        return None
    rows = database("evidence")
    some = run_rows.page(rows, run.id, entry.position, (), Order(), 0, 1)
    return {
        "counts": entry.rows or run_rows.counts(rows, run.id, entry.position),
        "columns": list(some[0].data) if some else [],
        "kept": plan.keeps,
        "first": run_rows.first(rows, run.id, entry.position),
        "told": [_told(run, entry, row) for row in run_rows.firsts(rows, run.id, entry.position)],
        "pick": run.request.picks.get(str(entry.position), ""),
    }


def _told(run: runs.Run, entry: runs.RunCase, row: RunRow) -> dict[str, Any]:
    """A row that needs a person, with the step that says so."""
    heads = evidence.heads_of_rows(database("evidence"), run.id, entry.position, [row.row])
    step = next((head for head in heads if head.verdict == row.verdict), None)
    return {
        "row": row.row,
        "verdict": row.verdict,
        "why": reason(row.why),
        "part": step.part if step else "",
        "index": step.step if step else 0,
    }


def _step_names(case: Case) -> list[dict[str, Any]]:
    """The steps of a case at the version that was run, in the order of execution."""
    return [
        {"part": where["part"], "index": where["index"], "number": number, "name": step.name}
        for number, (where, step) in enumerate(placed(case), 1)
        if not where["inside"]
    ]
