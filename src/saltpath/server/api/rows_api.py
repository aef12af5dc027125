"""The rows of a run's case: a page of the matrix, sorted and filtered."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.cases.case import PARTS
from saltpath.core.values.verdicts import WORST_FIRST
from saltpath.server.api.views import LONGEST_CELL, cell_text, head_view, ms, reason
from saltpath.server.asked import run_asked
from saltpath.server.context import database, limit, whole
from saltpath.server.declared import ID, LIMIT, POSITION, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.shared_cases import with_shared
from saltpath.store import cases, evidence, run_rows, runs
from saltpath.store.database import NotFound
from saltpath.store.run_rows import Order, RunRow

rows_api = Blueprint("rows", __name__)
OF_STEP = ("time", "status", "size", "verdict")


@rows_api.get("/runs/<id>/cases/<int:position>/rows")
@declared(
    "listRunRows",
    "How a case's rows ended",
    page("RunRow"),
    ID,
    POSITION,
    LIMIT,
    parameter("offset", "how many are left out before", kind="integer"),
    parameter("sort", "number, verdict, time, column NAME, step PART INDEX time"),
    parameter("down", "true: the other way round"),
    parameter("verdict", "failed,blocked: only such"),
    parameter("value", "a kept value that is shown"),
)
def list_rows(id: str, position: int) -> Response:
    """A page of rows. `?sort=` number, verdict, time, `column NAME`, or `step PART INDEX
    time|status|size|verdict`, `?down=true` the other way round; `?verdict=failed,blocked` only
    such; `?value=NAME` what each step kept under that name beside its other facts."""
    run = run_asked(id)
    verdicts, order = _verdicts(), _order()
    offset, size = whole("offset", 0), limit(100)
    found = run_rows.page(
        database("evidence"), run.id, min(position, 2**31), verdicts, order, offset, size
    )
    heads: dict[int, list[dict[str, Any]]] = {}
    for head in evidence.heads_of_rows(
        database("evidence"), run.id, min(position, 2**31), [row.row for row in found]
    ):
        heads.setdefault(head.row, []).append(head_view(head))
    name = request.args.get("value", "")
    values = _kept(run.id, position, [row.row for row in found], name) if name else {}
    items = [_row(row, heads.get(row.row, []), values) for row in found]
    return json_answer({"items": items, "next": str(offset + size) if len(found) == size else None})


@rows_api.get("/runs/<id>/cases/<int:position>/common")
@declared(
    "readInCommon", "What rows that went wrong have in common", of("FoundInCommon"), ID, POSITION
)
def what_is_common(id: str, position: int) -> Response:
    """What the rows that failed, or were blocked, have in common and those that passed have not;
    only what is clearer than chance."""
    from saltpath.server.common import common  # it brings numpy

    run = run_asked(id)
    entry = next(
        (item for item in runs.run_cases(database(), run.id) if item.position == position), None
    )
    if entry is None:
        raise NotFound("the run has no such case")
    case = with_shared(cases.case_at(database(), entry.case_id, entry.version))
    names = {(str(part), index): step.name for part, index, step in case.parts()}
    claims, looked, whole = common(run.id, position, names)
    items = [
        {
            "sentence": item.why.sentence,
            "feature": item.feature,
            "p": item.p,
            "bad": item.bad,
            "good": item.good,
        }
        for item in claims
    ]
    return json_answer({"items": items, "next": None, "looked": looked, "whole": whole})


def _verdicts() -> tuple[str, ...]:
    asked = tuple(filter(None, request.args.get("verdict", "").split(",")))
    if any(verdict not in (*WORST_FIRST, "skipped") for verdict in asked):
        raise Refused(
            400,
            "verdict",
            "verdict is one or several of failed, blocked, unchecked, passed and skipped.",
        )
    return asked


def _order() -> Order:
    words = request.args.get("sort", "number")
    down = request.args.get("down") == "true"
    first, _, rest = words.partition(" ")
    if first in ("number", "verdict", "time") and not rest:
        return Order(first, down=down)  # type: ignore[arg-type]
    if first == "column" and rest and len(rest) <= LONGEST_CELL:
        return Order("column", rest, down=down)
    part, _, more = (
        rest.partition(" ") if not rest.startswith("at the end") else ("at the end", "", rest[11:])
    )
    index, _, of = more.partition(" ")
    if (
        first == "step"
        and part in PARTS
        and index.isascii()
        and index.isdigit()
        and len(index) < 9
        and of in OF_STEP
    ):
        return Order("step", of, part, int(index), down)
    raise Refused(
        400,
        "sort",
        "sort is number, verdict, time, column NAME, or step PART INDEX and time, status, size or "
        "verdict.",
    )


def _row(
    row: RunRow, heads: list[dict[str, Any]], values: dict[tuple[int, str, int], str]
) -> dict[str, Any]:
    cells = [
        {**head, "value": values.get((row.row, head["part"], head["index"]), "")} for head in heads
    ]
    data = {name: cell_text(value) for name, value in row.data.items()}
    return {
        "row": row.row,
        "verdict": row.verdict,
        "ms": ms(row.us),
        "why": reason(row.why),
        "data": data,
        "cells": cells,
    }


def _kept(run: int, position: int, rows: list[int], name: str) -> dict[tuple[int, str, int], str]:
    """What steps of these rows kept under a name, by row, part and index."""
    return {
        (step.head.row, step.head.part, step.head.step): cell_text(step.kept[name])
        for row in rows
        for step in evidence.steps(database("evidence"), run, position, row)
        if not step.head.inner and step.head.row and name in step.kept
    }
