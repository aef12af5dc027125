"""Suites over days: how many of their cases did not pass, what broke and was mended, and what each
run came to."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np

from saltpath.core.trends.days import (
    Cycle,
    Spell,
    Totals,
    by_case,
    by_day,
    cycles,
    days_between,
    in_order,
    spells,
    totals,
)
from saltpath.core.trends.entries import Entries, those
from saltpath.server.api.views import moment
from saltpath.server.trending.asked import MONTH_S, Looked
from saltpath.store.trends.entries import SECOND_US


def suites_view(of: Looked) -> dict[str, Any]:
    """Each suite that has cases, in the order of the outline."""
    every = of.entries("case", MONTH_S)  # what was bad before the stretch broke before it
    ordered = in_order(every)
    within = those(ordered, ordered["at"] >= of.begin)
    bounds = days_between(of.begin, of.end, of.zone)
    days = by_day(within, bounds, of.suite_of)
    broken = [one for one in spells(ordered) if not one.ended or one.ended >= of.begin]
    counted = by_case(within)
    items = []
    for id, suite in of.suites.items():
        mine = {case for case, its in of.suite_of.items() if its == id}
        if not mine:
            continue
        own = [counted[case] for case in mine if case in counted]
        of_it = [one for one in broken if one.case in mine]
        items.append(
            {
                "id": suite.oid,
                "name": suite.name,
                "days": [
                    [day.cases, day.bad, day.known, day.unchecked] for day in days.get(id, [])
                ],
                **_totals(totals(own, of_it, of.begin, of.end)),
                "allCases": len(mine),
                "badSince": _since(of_it),
            }
        )
    return {
        "environment": of.environment,
        "from": moment(of.begin * SECOND_US),
        "to": moment(of.end * SECOND_US),
        "days": [f"{datetime.fromtimestamp(at, of.zone):%Y-%m-%d}" for at in bounds[:-1]],
        "items": items,
        "all": _totals(totals(counted.values(), broken, of.begin, of.end)),
    }


def _totals(one: Totals) -> dict[str, Any]:
    return {
        "cases": one.cases,
        "checks": one.checks,
        "runs": one.runs,
        "passed": one.passed,
        "failed": one.failed,
        "blocked": one.blocked,
        "badNow": one.bad_now,
        "knownNow": one.known_now,
        "uncheckedNow": one.unchecked_now,
        "broke": one.broke,
        "mended": one.mended,
        "secondsToMend": one.to_mend,
    }


def _since(broken: list[Spell]) -> str | None:
    """Since when the first of those that are bad now is so."""
    now = [one.began for one in broken if not one.ended and not one.known]
    return moment(min(now) * SECOND_US) if now else None


def cycles_view(of: Looked, suite: int | None, most: int) -> list[dict[str, Any]]:
    """What each run came to, of one suite or of all, the newest first."""
    return [_cycle(of, one) for one in cycles(chosen(of, suite))[:most]]


def chosen(of: Looked, suite: int | None) -> Entries:
    """The entries of the cases of a suite that there are, or of all."""
    cases = of.entries("case")
    mine = [case for case, its in of.suite_of.items() if suite is None or its == suite]
    return those(cases, np.isin(cases["case"], mine))


def _cycle(of: Looked, one: Cycle) -> dict[str, Any]:
    run = of.runs.get(one.run)
    judged = one.cases or 1
    return {
        "run": run.oid if run else None,
        "number": run.number if run else None,
        "build": run.build if run else "",
        "runner": run.runner if run else "",
        "at": moment(one.at * SECOND_US),
        "cases": one.cases,
        "passed": one.passed,
        "failed": one.failed,
        "blocked": one.blocked,
        "unchecked": one.unchecked,
        "share": round(one.passed / judged, 4),
    }
