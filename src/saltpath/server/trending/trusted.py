"""Cases that cannot be trusted, and those that never failed."""

from __future__ import annotations

from typing import Any

import numpy as np

from saltpath.core.running.cause_sentences import sentence_of
from saltpath.core.running.causes import Failure
from saltpath.core.trends.days import in_order
from saltpath.core.trends.entries import PASSED, VERDICTS, Entries, are_bad
from saltpath.core.trends.trust import GoesWith, Trust, goes_with, proposal, trust
from saltpath.server.api.views import moment
from saltpath.server.context import database
from saltpath.server.trending.asked import MONTH_S, Looked
from saltpath.store.trends import series
from saltpath.store.trends.entries import SECOND_US

SHOWN = 40
"""Of its last runs, in a line."""
BACK_S = 3 * MONTH_S
"""So far back one looks whatever the stretch: what is said of a case needs runs."""
NEVER = 20
"""From so many runs on it is worth a word that a case never failed."""


def judged(of: Looked) -> list[Trust]:
    """Every case that there is, by the runs up to the end of the stretch."""
    ordered = in_order(of.entries("case", max(BACK_S - (of.end - of.begin), 0)))
    builds = {id: run.build for id, run in of.runs.items()}
    return [one for one in trust(ordered, builds) if one.case in of.cases]


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
    cases = of.entries("case", max(BACK_S - (of.end - of.begin), 0)) if shown else None
    items = [_view(of, one, causes, cases) for one in shown]
    return {
        "environment": of.environment,
        "items": items,
        "unreliable": sum(one.found.judgement == "unreliable" for one in every),
        "hiccups": sum(one.hiccups for one in every),
        "never": never(of, every),
    }


def _view(
    of: Looked, one: Trust, causes: dict[int, Failure], cases: Entries | None
) -> dict[str, Any]:
    head, found = of.cases[one.case], one.found
    often = [(causes[number], times) for number, times in one.causes if number in causes]
    goes: list[GoesWith] = []
    if found.judgement == "unreliable" and cases is not None:
        runners = {id: run.runner for id, run in of.runs.items() if run.runner}
        goes = goes_with(one, cases, runners, of.zone)
    proposed = ""
    if often and found.judgement == "unreliable":
        first = often[0][0]
        proposed = proposal(first.code, first.verdict, goes, lambda id: _name(of, id))
    last = one.runs[-SHOWN:]
    return {
        "id": head.oid,
        "name": head.name,
        "judgement": found.judgement,
        "runs": found.runs,
        "bad": found.bad,
        "spells": found.spells,
        "low": round(found.low, 4),
        "high": round(found.high, 4),
        "since": moment(int(one.runs["at"][found.since]) * SECOND_US) if found.since else None,
        "flips": int((np.diff(are_bad(one.runs).astype(np.int8)) != 0).sum()),
        "looked": len(one.runs),
        "line": [VERDICTS[verdict] for verdict in last["verdict"].tolist()],
        "causes": [
            {
                "sentence": sentence_of(failure),
                "step": failure.step,
                "times": times,
            }
            for failure, times in often[:3]
        ],
        "goesWith": [_goes(of, each) for each in goes],
        "proposal": proposed,
        "lastBad": _last_bad(of, one),
    }


def _name(of: Looked, case: int) -> str:
    return of.cases[case].name if case in of.cases else "another case"


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
    if not one.found.places:
        return None
    entry = one.runs[one.found.places[-1]]
    run = of.runs.get(int(entry["run"]))
    if run is None:
        return None
    return {
        "run": run.oid,
        "number": run.number,
        "position": int(entry["position"]),
        "at": moment(int(entry["at"]) * SECOND_US),
    }


def never(of: Looked, every: list[Trust]) -> list[dict[str, Any]]:
    """The cases that passed in each of their last runs, and of how many, those of most first."""
    found = [
        (len(one.runs), one.case)
        for one in every
        if len(one.runs) >= NEVER and (one.runs["verdict"] == PASSED).all()
    ]
    return [
        {"id": of.cases[case].oid, "name": of.cases[case].name, "runs": runs}
        for runs, case in sorted(found, key=lambda item: (-item[0], item[1]))
    ]
