"""What became slower or quicker, and the line of whatever is followed."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from saltpath.core.statistics.shifts import by_how_much
from saltpath.core.trends.changes import Moved, by_series
from saltpath.core.trends.entries import STEP, Entries, only
from saltpath.core.trends.lines import line, phases
from saltpath.core.trends.together import Shifted, Told, told_once
from saltpath.server.api.views import moment, ms
from saltpath.server.context import database
from saltpath.server.trending import watched
from saltpath.server.trending.asked import PARTS, Looked
from saltpath.store.trends import looks
from saltpath.store.trends.entries import SECOND_US
from saltpath.store.trends.series import Series

FINE_PARTS = 360
"""Of one by itself."""
NEAR = 3
"""Runs."""
MOST = 40
AS_EVER = 4
"""So many of those that take most time are shown though they did not change."""


def moved_view(of: Looked) -> dict[str, Any]:
    """What changed within the stretch, the greatest change first; then what takes most time, and is
    as ever."""
    seen = looks.looks(database("history"), of.project.id, of.environment)
    told = told_of(of, {id: one.found for id, one in seen.items() if one.found})
    shown = [one.lead.series for one in told[:MOST]]
    changed = {one.series for each in told for one in (each.lead, *each.others)}
    ran = [
        id
        for id, one in of.series.items()
        if id in seen and seen[id].until >= of.begin and _is_there(of, one)
    ]
    quiet = [id for id in ran if of.series[id].kind in ("step", "shared") and id not in changed]
    quiet.sort(key=lambda id: (-seen[id].us, id))
    quiet = quiet[: max(AS_EVER, 8 - len(shown))]
    lines = _of_each(of, [*shown, *quiet])
    items = [
        {
            **_view(of, one.lead.series, lines),
            "moved": _moved(of, one.lead.moved),
            **_others(of, one),
        }
        for one in told[:MOST]
    ]
    items += [
        {**_view(of, id, lines), "moved": None, "cases": _cases_of(of, of.series[id]), "with": 0}
        for id in quiet
        if id in lines
    ]
    slower = watched.slower(of)
    return {
        "environment": of.environment,
        "from": moment(of.begin * SECOND_US),
        "to": moment(of.end * SECOND_US),
        "parts": PARTS,
        "slower": sum(one.lead.moved.ratio > 1 for one in told) + len(slower),
        "quicker": sum(one.lead.moved.ratio < 1 for one in told),
        "steps": sum(of.series[id].kind == "step" for id in ran),
        "items": _by_change([*items[: len(shown)], *slower]) + items[len(shown) :],
    }


def _by_change(items: list[dict[str, Any]]) -> list[dict[str, Any]]:
    """The greatest change first."""
    return sorted(items, key=lambda one: -max(one["moved"]["ratio"], 1 / one["moved"]["ratio"]))


def told_of(of: Looked, found: Mapping[int, list[Moved]]) -> list[Told]:
    """What of that changed within the stretch, each cause once."""
    shifted = [
        Shifted(
            id,
            one.kind,
            one.owner,
            one.of if one.kind == "operation" else one.operation,
            of.place.get(moved.run, 0),
            moved,
        )
        for id, every in found.items()
        if (one := of.series.get(id)) is not None and _is_there(of, one)
        for moved in every
        if of.begin <= moved.at < of.end
    ]
    return told_once(shifted, of.uses if shifted else {})


def _is_there(of: Looked, one: Series) -> bool:
    return not one.owner or one.owner in of.cases or one.owner in of.shared


def _of_each(of: Looked, wanted: list[int]) -> dict[int, Entries]:
    return dict(by_series(only(of.entries("step", series=wanted), wanted)))


def _view(of: Looked, id: int, lines: dict[int, Entries]) -> dict[str, Any]:
    one, mine = of.series[id], lines.get(id)
    return {
        "id": one.oid,
        "kind": one.kind,
        "name": name_of(of, one),
        "owner": owner_of(of, one),
        "usual": _usual(mine),
        "line": [] if mine is None else line(mine, of.begin, of.end, PARTS),
    }


def name_of(of: Looked, one: Series) -> str:
    """What it is called now."""
    if one.kind == "case" and one.owner in of.cases:
        return of.cases[one.owner].name
    if one.kind == "shared" and one.owner in of.shared:
        return of.shared[one.owner].name
    return one.name


def owner_of(of: Looked, one: Series) -> dict[str, str] | None:
    """The case, or the shared steps, that it is or belongs to."""
    for kind, heads in (("case", of.cases), ("shared", of.shared)):
        if one.owner in heads:
            return {"kind": kind, "id": heads[one.owner].oid, "name": heads[one.owner].name}
    return None


def _usual(mine: Entries | None) -> dict[str, float | None] | None:
    if mine is None or not len(mine):
        return None
    from saltpath.core.statistics.histogram import exact_percentile

    return {
        "median": ms(exact_percentile(mine["median"].tolist(), 0.5)),
        "p95": ms(exact_percentile(mine["p95"].tolist(), 0.95)),
    }


def _moved(of: Looked, one: Moved) -> dict[str, Any]:
    run = of.runs.get(one.run)
    return {
        "at": moment(one.at * SECOND_US),
        "found": moment(one.found * SECOND_US),
        "before": ms(one.before),
        "after": ms(one.after),
        "ratio": round(one.ratio, 3),
        "by": by_how_much(one.ratio),
        "runs": one.values,
        "run": run.oid if run else None,
        "build": _new_build(of, one.run),
    }


def _new_build(of: Looked, run: int) -> str:
    """The build that came with a run or up to three runs beside it, as near as shifts are placed;
    empty where none did."""
    if run not in of.runs:
        return ""
    order, place = of.order, of.place[run]
    near = range(max(place - NEAR, 1), min(place + NEAR + 1, len(order)))
    for at in sorted(near, key=lambda at: abs(at - place)):
        before, after = of.runs[order[at - 1]].build, of.runs[order[at]].build
        if after and before and before != after:
            return after
    return ""


def _cases_of(of: Looked, one: Series) -> int:
    """In how many cases it is met."""
    if one.kind == "shared":
        return sum(one.owner in used for used in of.uses.values())
    if one.kind == "operation":
        owners = {step.owner for step in of.series.values() if step.operation == one.of}
        return sum(case in owners or bool(owners & of.uses.get(case, set())) for case in of.cases)
    return 1


def _others(of: Looked, told: Told) -> dict[str, int]:
    return {
        "cases": _cases_of(of, of.series[told.lead.series]),
        "with": sum(one.kind == "case" for one in told.others),
    }


# ---- one by itself


def series_view(of: Looked, id: int) -> dict[str, Any]:
    """The line of one, finer, with its phases, its shifts, the builds that came and the edits of
    its case."""
    mine = _of_each(of, [id]).get(id, np.zeros(0, STEP))
    found = looks.found(database("history"), of.project.id, of.environment).get(id, [])
    shifts = [one for one in found if of.begin <= one.at < of.end]
    since = shifts[-1].at if shifts else of.begin
    return {
        **_view(of, id, {id: mine}),
        "environment": of.environment,
        "from": moment(of.begin * SECOND_US),
        "to": moment(of.end * SECOND_US),
        "parts": FINE_PARTS,
        "line": line(mine, of.begin, of.end, FINE_PARTS),
        "runs": len(mine),
        "cases": _cases_of(of, of.series[id]),
        "shifts": [_moved(of, one) for one in shifts],
        "phases": _phases(mine[mine["at"] >= since]),
        "phasesBefore": _phases(mine[mine["at"] < since]) if shifts else None,
        "builds": _builds(of),
        "edits": _edits(of, of.series[id]),
    }


def _phases(mine: Entries) -> dict[str, float | None] | None:
    how = phases(mine) if len(mine) else None
    if how is None:
        return None
    return {
        "connecting": ms(how.connecting),
        "waiting": ms(how.waiting),
        "receiving": ms(how.receiving),
    }


def _builds(of: Looked) -> list[dict[str, Any]]:
    """When each build was first met within the stretch."""
    found, last = [], ""
    for run in sorted(of.runs.values(), key=lambda run: (run.at, run.run)):
        if run.build and run.build != last:
            if last and run.at >= of.begin * SECOND_US:
                found.append({"at": moment(run.at), "build": run.build, "run": run.oid})
            last = run.build
    return found


def _edits(of: Looked, one: Series) -> list[dict[str, Any]]:
    """When the case changed between two runs, within the stretch."""
    if one.owner not in of.cases:
        return []
    cases = of.entries("case")
    mine = cases[cases["case"] == one.owner]
    mine = mine[np.lexsort((mine["run"], mine["at"]))]
    changed = np.flatnonzero(mine["version"][1:] != mine["version"][:-1]) + 1
    return [
        {"at": moment(int(each["at"]) * SECOND_US), "run": of.runs[int(each["run"])].oid}
        for each in mine[changed]
        if int(each["run"]) in of.runs
    ]


def list_view(of: Looked, kind: str, find: str, most: int) -> list[dict[str, Any]]:
    """Whatever is followed of a kind, those that take most time first; `find`: whose name, or whose
    case's, holds this."""
    if kind == "watch":
        return watched.listed(of, find, most)
    seen, word = looks.looks(database("history"), of.project.id, of.environment), find.casefold()
    wanted = [
        id
        for id, one in of.series.items()
        if one.kind == kind
        and id in seen
        and seen[id].until >= of.begin
        and _is_there(of, one)
        and word in _words(of, one)
    ]
    shown = sorted(wanted, key=lambda id: (-seen[id].us, id))[:most]
    lines = _of_each(of, shown)
    items = []
    for id in shown:
        shifts = [one for one in seen[id].found if of.begin <= one.at < of.end]
        moved = _moved(of, shifts[-1]) if shifts else None
        cases = _cases_of(of, of.series[id])
        items.append({**_view(of, id, lines), "moved": moved, "cases": cases, "with": 0})
    return items


def _words(of: Looked, one: Series) -> str:
    owner = owner_of(of, one)
    return f"{name_of(of, one)} {owner['name'] if owner else ''} {one.operation}".casefold()
