"""Cases that cannot be trusted, and those that never failed."""

from __future__ import annotations

from typing import Any

from saltpath.core.running.cause_sentences import sentence_of
from saltpath.core.running.causes import Failure
from saltpath.core.trends.entries import VERDICTS
from saltpath.core.trends.same_row import RowsOfRun, same_row
from saltpath.core.trends.trust import GoesWith, Trust, proposal, trust
from saltpath.server.api.views import moment
from saltpath.server.context import database
from saltpath.server.trending.asked import MONTH_S, Looked
from saltpath.store import run_rows
from saltpath.store.trends import series, trusts
from saltpath.store.trends.entries import SECOND_US

BACK_S = 3 * MONTH_S
"""So far back one looks whatever the stretch: what is said of a case needs runs."""
BAD = ("failed", "blocked")
MOST_BAD_ROWS = 1_000
"""Of a run: where more are bad, it is none of them."""
NEVER = 20
"""From so many runs on it is worth a word that a case never failed."""


def judged(of: Looked) -> list[Trust]:
    """Every case that there is, by the runs up to the end of the stretch: as it was worked out last
    where that is later."""
    history = database("history")
    known = trusts.found(history, of.project.id, of.environment)
    if known is not None and known[0] < of.end:
        return [one for one in known[1] if one.case in of.cases]
    cases = of.between("case", min(of.begin, of.end - BACK_S), of.end)
    builds = {id: run.build for id, run in of.runs.items()}
    runners = {id: run.runner for id, run in of.runs.items() if run.runner}
    found = trust(cases, builds, runners, of.zone)
    return [one for one in found if one.case in of.cases]


def trust_view(of: Looked) -> dict[str, Any]:
    """Those that are unreliable, the worst first; then those that had an episode, or of which there
    are too few runs to say."""
    every = judged(of)
    rank = {"unreliable": 0, "episode": 1, "too few": 2, "reliable": 3}
    shown = [one for one in every if one.found.spells and one.found.judgement != "reliable"]
    shown.sort(key=lambda one: (rank[one.found.judgement], -one.found.low, one.case))
    causes = series.causes(
        database("history"), of.project.id, (n for one in shown for n, _ in one.causes)
    )
    return {
        "environment": of.environment,
        "items": [_view(of, one, causes) for one in shown],
        "unreliable": sum(one.found.judgement == "unreliable" for one in every),
        "hiccups": sum(one.hiccups for one in every),
        "never": _never(of, every),
    }


def _view(of: Looked, one: Trust, causes: dict[int, Failure]) -> dict[str, Any]:
    head, found = of.cases[one.case], one.found
    often = [(causes[number], times) for number, times in one.causes if number in causes]
    goes_with = [*one.goes_with, *_row(one)]
    proposed = ""
    if often and found.judgement == "unreliable":
        first = often[0][0]
        proposed = proposal(first.code, first.verdict, goes_with, lambda id: _name(of, id))
    return {
        "id": head.oid,
        "name": head.name,
        "judgement": found.judgement,
        "runs": found.runs,
        "bad": found.bad,
        "spells": found.spells,
        "low": round(found.low, 4),
        "high": round(found.high, 4),
        "since": moment(one.since * SECOND_US) if one.since else None,
        "flips": one.flips,
        "looked": one.looked,
        "line": [VERDICTS[verdict] for verdict in one.line],
        "causes": [
            {"sentence": sentence_of(failure), "step": failure.step, "times": times}
            for failure, times in often
        ],
        "goesWith": [_goes(of, each) for each in goes_with],
        "proposal": proposed,
        "lastBad": _last_bad(of, one),
    }


def _name(of: Looked, case: int) -> str:
    return of.cases[case].name if case in of.cases else "another case"


def _row(one: Trust) -> list[GoesWith]:
    """Whether it is the same row that goes wrong: by those of its bad runs of which evidence is
    kept."""
    if one.found.judgement != "unreliable":
        return []
    kept = database("evidence")
    found = same_row(
        [
            RowsOfRun(bad.rows, run_rows.numbers(kept, bad.run, bad.position, BAD))
            for bad in one.bad_runs
            if bad.rows > 1 and bad.bad_rows <= MOST_BAD_ROWS
        ]
    )
    if found is None:
        return []
    good = one.found.runs - one.found.bad
    return [GoesWith("row", f"{found.row} of {found.rows}", found.runs, found.of, 0, good)]


def _goes(of: Looked, one: GoesWith) -> dict[str, Any]:
    value = _name(of, int(one.value)) if one.kind == "beside" else one.value
    return {
        "kind": one.kind,
        "value": value,
        "bad": one.bad,
        "ofBad": one.of_bad,
        "good": one.good,
        "ofGood": one.of_good,
    }


def _last_bad(of: Looked, one: Trust) -> dict[str, Any] | None:
    """The last run in which it was bad by chance."""
    last = one.bad_runs[-1] if one.bad_runs else None
    run = of.runs.get(last.run) if last is not None else None
    if run is None or last is None:
        return None
    return {
        "run": run.oid,
        "number": run.number,
        "position": last.position,
        "at": moment(last.at * SECOND_US),
    }


def _never(of: Looked, every: list[Trust]) -> list[dict[str, Any]]:
    """The cases that passed in each of their last runs, and of how many, those of most first."""
    found = [(one.looked, one.case) for one in every if one.all_passed and one.looked >= NEVER]
    return [
        {"id": of.cases[case].oid, "name": of.cases[case].name, "runs": runs}
        for runs, case in sorted(found, key=lambda item: (-item[0], item[1]))
    ]
