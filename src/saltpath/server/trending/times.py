"""What the time of a suite is spent on, and two sets of runs held against each other."""

from __future__ import annotations

from functools import cached_property
from typing import Any

import numpy as np

from saltpath.core.trends import compare
from saltpath.core.trends.entries import Entries, that_count, those
from saltpath.core.trends.spent import Spent, side_by_side, spent
from saltpath.server.api.views import moment, ms
from saltpath.server.trending.asked import Looked
from saltpath.server.trending.moved import name_of, owner_of
from saltpath.server.trending.suites import chosen
from saltpath.store.trends.entries import SECOND_US

MOST = 15
MOST_COMPARED = 100


def spent_view(of: Looked, suite: int | None) -> dict[str, Any]:
    """The steps that take most time, that wait longest, whose answers are largest; and how long the
    last whole run would take with several cases side by side."""
    mine = {case for case, its in of.suite_of.items() if suite is None or its == suite}
    shared = {id for case in mine for id in of.uses.get(case, ())} if suite is not None else None
    wanted = [
        id
        for id, one in of.series.items()
        if one.kind == "step"
        and (
            one.owner in mine or (one.owner in of.shared if shared is None else one.owner in shared)
        )
    ]
    found = [one for block in of.blocks(wanted) for one in spent(block)]
    found.sort(key=lambda one: (-one.us, one.series))
    whole = sum(one.us for one in found)
    waits = sorted(found, key=lambda one: (-_waited(one), one.series))
    large = sorted(found, key=lambda one: (-one.size, one.series))
    return {
        "environment": of.environment,
        "us": whole,
        "steps": len(found),
        "slowest": [_view(of, one, whole) for one in found[:MOST]],
        "waits": [_view(of, one, whole) for one in waits[:MOST] if _waited(one)],
        "largest": [_view(of, one, whole) for one in large[:MOST] if one.size],
        "sideBySide": _side_by_side(of, suite),
    }


def _waited(one: Spent) -> int:
    return one.phases.waiting if one.phases is not None else 0


def _view(of: Looked, one: Spent, whole: int) -> dict[str, Any]:
    what = of.series[one.series]
    return {
        "id": what.oid,
        "name": name_of(of, what),
        "owner": owner_of(of, what),
        "number": one.number,
        "share": round(one.us / whole, 4) if whole else 0,
        "ms": ms(one.us),
        "median": ms(one.median),
        "p95": ms(one.p95),
        "size": one.size,
        "waiting": ms(_waited(one)) if one.phases is not None else None,
    }


def _side_by_side(of: Looked, suite: int | None) -> dict[str, Any] | None:
    """Of the run that had the most of these cases, the last of several."""
    cases = that_count(chosen(of, suite))
    if not len(cases):
        return None
    runs, number = np.unique(cases["run"], return_counts=True)
    run = int(runs[np.flatnonzero(number == number.max())[-1]])
    lengths = cases["us"][cases["run"] == run].tolist()
    there = of.runs.get(run)
    return {
        "run": there.oid if there else None,
        "at": moment(int(cases["at"][cases["run"] == run][0]) * SECOND_US),
        "cases": len(lengths),
        "longest": ms(max(lengths)),
        "ways": [{"jobs": jobs, "ms": ms(us)} for jobs, us in side_by_side(lengths)],
    }


# ---- compare


class Side:
    """One of the two: the runs of a stretch; `build`, `runner`: only of these, where one is
    said."""

    def __init__(self, of: Looked, build: str = "", runner: str = "") -> None:
        self.of, self.build, self.runner = of, build, runner

    @cached_property
    def cases(self) -> Entries:
        return that_count(self._kept(self.of.entries("case")))

    @cached_property
    def medians(self) -> compare.Medians:
        found: compare.Medians = {}
        for block in self.of.blocks(self.of.series):
            found |= compare.medians(self._kept(block))
        return found

    def _kept(self, found: Entries) -> Entries:
        if not self.build and not self.runner:
            return found
        runs = [
            id
            for id, run in self.of.runs.items()
            if self.build in ("", run.build) and self.runner in ("", run.runner)
        ]
        return those(found, np.isin(found["run"], runs))

    def view(self) -> dict[str, Any]:
        return {
            "environment": self.of.environment,
            "build": self.build,
            "runner": self.runner,
            "from": moment(self.of.begin * SECOND_US),
            "to": moment(self.of.end * SECOND_US),
            "runs": len(np.unique(self.cases["run"])),
        }


def compared_view(before: Side, after: Side) -> dict[str, Any]:
    """The second against the first."""
    steps = compare.times(before.medians, after.medians)
    cases = compare.shares(before.cases, after.cases)
    of = after.of
    return {
        "before": before.view(),
        "after": after.view(),
        "times": [
            {
                "id": of.series[one.series].oid,
                "kind": of.series[one.series].kind,
                "name": name_of(of, of.series[one.series]),
                "owner": owner_of(of, of.series[one.series]),
                "runs": list(one.runs),
                "before": ms(one.before),
                "after": ms(one.after),
                "ratio": _short(one.ratio),
                "low": _short(one.low),
                "high": _short(one.high),
                "clear": one.clear,
            }
            for one in steps
            if one.series in of.series
        ][:MOST_COMPARED],
        "cases": [
            {
                "id": of.cases[one.case].oid,
                "name": of.cases[one.case].name,
                "runs": list(one.runs),
                "passed": list(one.passed),
                "difference": round(one.difference, 4),
                "low": round(one.low, 4),
                "high": round(one.high, 4),
                "clear": one.clear,
            }
            for one in cases
            if one.case in of.cases
        ][:MOST_COMPARED],
    }


def _short(value: float) -> float | None:
    """JSON has no infinity: too few runs for a limit."""
    return round(value, 4) if 0 < value < float("inf") else None
