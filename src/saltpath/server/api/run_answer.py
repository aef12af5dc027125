"""A run with its cases and their steps, as its page asks for it again and again while it runs: what
a case has become is written out once, and again when its steps or its state are others."""

from __future__ import annotations

from functools import partial
from typing import Any

import msgspec
from msgspec.structs import replace

from saltpath.core.cases.summary import Summary
from saltpath.core.values import plain
from saltpath.server.api.views import head_view, ms, reason, run_view
from saltpath.server.caches import LruCache
from saltpath.server.choosing import tags_around
from saltpath.server.compiled import summary_of
from saltpath.server.context import database
from saltpath.store import evidence, projects, run_rows, runs
from saltpath.store.run_rows import Order, RunRow

_lines: LruCache[msgspec.Raw] = LruCache(20_000_000, lambda line: 2 * len(memoryview(line)))
"""The cases of runs as they are written out."""


def run_with_cases(run: runs.Run) -> dict[str, Any]:
    connection = database()
    entries = runs.run_cases(connection, run.id)
    known = [summary_of(entry) for entry in entries]
    with_rows = [entry.position for entry, of in zip(entries, known, strict=True) if of.has_rows]
    heads = evidence.heads(database("evidence"), run.id, with_rows)

    def heads_of(entry: runs.RunCase) -> str:
        return heads.get(entry.position, "[]")

    view = run_view(run)
    names = runs.names_of_shared(connection, run)
    around = tags_around(run.project)
    view["cases"] = [
        _line(run, entry, _found_by(of, around.get(entry.suite_id)), heads_of(entry), names)
        for entry, of in zip(entries, known, strict=True)
    ]
    view["project"] = projects.project_by_id(connection, run.project).oid
    return view


def _found_by(of: Summary, around: frozenset[str] | None) -> Summary:
    """With the tags that a case has from its suite, and the folders around it."""
    return replace(of, tags=list(dict.fromkeys([*of.tags, *sorted(around)]))) if around else of


def _line(
    run: runs.Run, entry: runs.RunCase, of: Summary, heads: str, names: dict[str, str]
) -> msgspec.Raw:
    """A case of a run, written out; what is remembered of it holds as long as nothing that it says
    is different."""
    make = partial(_written, run, entry, of, heads, names)
    if of.has_rows and entry.state != "finished":
        return make()  # its rows come and go without its steps
    version = (
        entry.state,
        entry.verdict,
        entry.us,
        entry.name,
        entry.suite,
        entry.version,
        of.tags,
        heads,
        names,
    )
    return _lines.of(f"{run.oid} {entry.position}", version, make)


def _written(
    run: runs.Run, entry: runs.RunCase, of: Summary, heads: str, names: dict[str, str]
) -> msgspec.Raw:
    view = {
        "position": entry.position,
        "case": entry.case,
        "name": entry.name,
        "suite": entry.suite,
        "environment": entry.environment,
        "tags": of.tags,
        "state": entry.state,
        "verdict": entry.verdict,
        "why": reason(entry.why),
        "ms": ms(entry.us),
        "steps": [head_view(head) for head in evidence.read_heads(heads)],
        "stepNames": [
            {
                "part": step.part,
                "index": step.index,
                "number": step.number,
                "name": names.get(step.shared, step.name),
            }
            for step in of.steps
        ],
        "rows": _rows_view(run, entry, of),
    }
    return msgspec.Raw(plain.write_json(view))


def _rows_view(run: runs.Run, entry: runs.RunCase, of: Summary) -> dict[str, Any] | None:
    """How many rows a case had of which verdict so far, their columns in order, and what their
    steps keep; None of a case without rows."""
    if not of.has_rows:
        return None
    rows = database("evidence")
    some = run_rows.page(rows, run.id, entry.position, (), Order(), 0, 1)
    return {
        "counts": entry.rows or run_rows.counts(rows, run.id, entry.position),
        "columns": list(some[0].data) if some else [],
        "kept": of.keeps,
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
