"""What happened as plain rows, for people's own tools: runs, cases in them, times of whatever is
followed, suites by day, outages of watches."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from datetime import UTC, datetime
from typing import Any, Literal

import numpy as np

from saltpath.core.running.cause_sentences import sentence_of
from saltpath.core.trends.days import by_day, cycles, days_between, in_order
from saltpath.core.trends.entries import KNOWN, VERDICTS, Entries, What, in_series, those
from saltpath.server.context import database
from saltpath.server.trending.asked import Looked
from saltpath.server.trending.moved import name_of, owner_of
from saltpath.store import watches
from saltpath.store.history import troubles
from saltpath.store.trends import series

Table = Literal["runs", "cases", "times", "days", "outages"]
Row = dict[str, Any]
MOST_ROWS = 200_000
WEEK_S = 7 * 86_400


def rows(of: Looked, table: Table) -> list[Row]:
    """The oldest first, at most MOST_ROWS of the newest."""
    return list(_TABLES[table](of))[-MOST_ROWS:]


def _runs(of: Looked) -> Iterator[Row]:
    for one in reversed(cycles(of.entries("case"))):
        run = of.runs.get(one.run)
        yield {
            "at": _at(one.at),
            "run": run.number if run else None,
            "build": run.build if run else "",
            "environment": of.environment,
            "cases": one.cases,
            "passed": one.passed,
            "failed": one.failed,
            "blocked": one.blocked,
            "unchecked": one.unchecked,
            "share": round(one.passed / max(one.cases, 1), 4),
        }


def _cases(of: Looked) -> Iterator[Row]:
    found = _newest(of, "case")
    order = np.lexsort((found["position"], found["run"], found["at"]))
    found = np.take(found, order[-MOST_ROWS:])
    causes = series.causes(database("history"), of.project.id, np.unique(found["cause"]).tolist())
    for one in found:
        case, run = of.cases.get(int(one["case"])), of.runs.get(int(one["run"]))
        cause = causes.get(int(one["cause"]))
        suite = of.suites.get(case.suite) if case else None
        yield {
            "at": _at(int(one["at"])),
            "run": run.number if run else None,
            "build": run.build if run else "",
            "environment": of.environment,
            "suite": suite.name if suite else "",
            "case": case.name if case else "",
            "verdict": VERDICTS[int(one["verdict"])],
            "known": bool(one["flags"] & KNOWN),
            "ms": int(one["us"]) / 1000,
            "rows": int(one["rows"]),
            "bad rows": int(one["bad_rows"]),
            "version": int(one["version"]),
            "why": sentence_of(cause) if cause else "",
        }


def _newest(of: Looked, what: What) -> Entries:
    """Enough of the newest, so that months are not read for the last rows."""
    found: list[Entries] = []
    end = of.end
    while end > of.begin and sum(map(len, found)) < MOST_ROWS:
        begin = max(end - WEEK_S, of.begin)
        found.append(of.between(what, begin, end))
        end = begin
    return np.concatenate(found)


def _times(of: Looked) -> Iterator[Row]:
    found = in_series(_newest(of, "step"))
    found = those(found, found["timed"] > 0)
    for one in np.take(found, np.argsort(found["at"], kind="stable")[-MOST_ROWS:]):
        what, run = of.series.get(int(one["series"])), of.runs.get(int(one["run"]))
        if what is None:
            continue
        owner = owner_of(of, what)
        yield {
            "at": _at(int(one["at"])),
            "run": run.number if run else None,
            "environment": of.environment,
            "kind": what.kind,
            "name": name_of(of, what),
            "of": owner["name"] if owner else "",
            "number": int(one["number"]),
            "bad": int(one["bad"]),
            "median ms": int(one["median"]) / 1000,
            "95th percentile ms": int(one["p95"]) / 1000,
            "largest answer": int(one["size"]),
        }


def _days(of: Looked) -> Iterator[Row]:
    bounds = days_between(of.begin, of.end, of.zone)
    found = by_day(in_order(of.entries("case")), bounds, of.suite_of)
    for place, begin in enumerate(bounds[:-1]):
        for id, suite in of.suites.items():
            day = found[id][place] if id in found else None
            if day is not None and day.cases:
                yield {
                    "day": f"{datetime.fromtimestamp(begin, of.zone):%Y-%m-%d}",
                    "environment": of.environment,
                    "suite": suite.name,
                    "cases": day.cases,
                    "bad": day.bad,
                    "known": day.known,
                    "unchecked": day.unchecked,
                    "passed": day.cases - day.bad - day.known - day.unchecked,
                }


def _outages(of: Looked) -> Iterator[Row]:
    named = {one.id: one for one in watches.watches(database(), of.project.id)}
    found = troubles.troubles(database("history"), of.project.id, of.begin, of.end)
    for one in sorted(found, key=lambda one: (one.began, one.id)):
        watch = named.get(one.watch)
        if watch is not None:
            yield {
                "began": _at(one.began),
                "ended": _at(one.ended) if one.ended else "",
                "seconds": one.ended - one.began if one.ended else None,
                "kind": one.kind,
                "watch": watch.name,
                "supplier": str(watch.document.get("supplier", "")),
                "bad runs": one.runs,
                "why": one.cause,
                "note": one.note,
                "taken by": one.taken_by,
            }


def _at(second: int) -> str:
    return datetime.fromtimestamp(second, UTC).isoformat(timespec="seconds").replace("+00:00", "Z")


_TABLES: dict[Table, Callable[[Looked], Iterator[Row]]] = {
    "runs": _runs,
    "cases": _cases,
    "times": _times,
    "days": _days,
    "outages": _outages,
}
