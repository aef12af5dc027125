"""The answers of watches over time, as those of whatever else is followed."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np

from saltpath.core.statistics.shifts import by_how_much
from saltpath.server.api.views import moment, ms
from saltpath.server.context import database
from saltpath.server.trending.asked import PARTS, Looked
from saltpath.store import watches
from saltpath.store.documents import Document
from saltpath.store.history import ranges, troubles
from saltpath.store.history.troubles import Trouble
from saltpath.store.trends.entries import SECOND_US


def slower(of: Looked) -> list[dict[str, Any]]:
    """The watches of the environment whose answers became slower within the stretch."""
    found = _slower(of)
    wanted = [one for one in _watches(of) if one.id in found] if found else []
    return _items(of, wanted, found, len(wanted))


def listed(of: Looked, find: str, most: int) -> list[dict[str, Any]]:
    """Those of the environment that had answers, the slowest first; `find`: whose name, or whose
    supplier, holds this."""
    word = find.casefold()
    named = [
        one
        for one in _watches(of)
        if word in f"{one.name} {one.document.get('supplier', '')}".casefold()
    ]
    return _items(of, named, _slower(of), most)


def environments(project: Document) -> set[str]:
    """Those that watches go against."""
    return {_environment(project, one) for one in watches.watches(database(), project.id)}


def _environment(project: Document, watch: Document) -> str:
    return str(watch.document.get("environment", project.document.get("environment", "")))


def _watches(of: Looked) -> list[Document]:
    return [
        one
        for one in watches.watches(database(), of.project.id)
        if _environment(of.project, one) == of.environment
    ]


def _slower(of: Looked) -> dict[int, Trouble]:
    """By the watch, the last time that it became slower within the stretch."""
    found = troubles.troubles(database("history"), of.project.id, of.begin, of.end, kind="slower")
    found.sort(key=lambda one: one.began)
    return {one.watch: one for one in found if one.began >= of.begin}


def _items(
    of: Looked, wanted: Sequence[Document], found: Mapping[int, Trouble], most: int
) -> list[dict[str, Any]]:
    """Those that had answers, the slowest first."""
    if not wanted:
        return []
    by_id = {one.id: one for one in wanted}
    numbers = np.array(sorted(by_id), np.int64)
    over = ranges.over(database("history"), of.project.id, numbers, of.begin, of.end)
    answered = [int(row) for row in np.argsort(-over.median, kind="stable") if over.median[row]]
    return [
        {
            "id": by_id[id].oid,
            "kind": "watch",
            "name": by_id[id].name,
            "owner": None,
            "usual": {"median": ms(int(over.median[row])), "p95": ms(int(over.p95[row]))},
            "line": _line(over, row, of),
            "moved": _moved(found[id]) if id in found else None,
            "cases": 1,
            "with": 0,
        }
        for row in answered[:most]
        for id in [int(over.watches[row])]
    ]


def _moved(one: Trouble) -> dict[str, Any]:
    before, after = int(one.facts["before"]), int(one.facts["after"])
    began = moment(one.began * SECOND_US)
    return {
        "at": began,
        "found": began,
        "before": ms(before),
        "after": ms(after),
        "ratio": round(after / max(before, 1), 3),
        "by": by_how_much(after / max(before, 1)),
        "runs": one.runs,
        "run": None,
        "build": "",
    }


def _line(over: ranges.Range, watch: int, of: Looked) -> list[list[int]]:
    """The points of one by its row, as those of a line: of several in a part the last."""
    found: dict[int, list[int]] = {}
    for place, point in enumerate(over.line[watch]):
        part = (over.first + place * over.step - of.begin) * PARTS // max(of.end - of.begin, 1)
        if point["runs"] and point["median"] and 0 <= part < PARTS:
            numbers = [int(point[name]) for name in ("median", "p95", "runs", "bad")]
            found[part] = [part, *numbers]
    return list(found.values())
