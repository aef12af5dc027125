"""Which cases cannot be trusted: whose verdict turns with nothing changed
(statistics/unreliable.py), at what, and what that goes with."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Mapping, Sequence
from datetime import UTC, datetime, tzinfo
from itertools import pairwise

import numpy as np
from msgspec import Struct
from numpy.typing import NDArray

from saltpath.core.statistics.in_common import ALPHA, Claim, Feature, in_common
from saltpath.core.statistics.unreliable import Reliability, all_good, reliability
from saltpath.core.trends.days import in_order
from saltpath.core.trends.entries import OF_HOST, PASSED, Entries, are_bad, groups

LOOKED_AT = 500
"""Of the last runs of a case."""
SHOWN = 40
"""Of these, in a line."""
MOST_CAUSES = 3
MOST_BAD_RUNS = 20
MOST_NEIGHBOURS = 40
_HOUR = "the hour"
_BESIDE = "beside "


class GoesWith(Struct, frozen=True):
    """What bad runs have in common, and good ones less: of how many of each it holds. `kind`: hour
    (`value`: it), weekday, runner, beside (the number of the other case), row ("7 of 12"; of a good
    run no row is bad)."""

    kind: str
    value: str
    bad: int
    of_bad: int
    good: int
    of_good: int


class BadRun(Struct, frozen=True, array_like=True):
    """A run, where the case stands in it, when it was asked for (seconds UTC), how many rows the
    case had then (1 without), and how many of them were bad."""

    run: int
    position: int
    at: int
    rows: int = 1
    bad_rows: int = 1


class Trust(Struct, frozen=True):
    """What is known of a case against an environment, by its last runs."""

    case: int
    found: Reliability
    looked: int
    """Runs that were looked at."""
    hiccups: int
    """Runs beside these in which nobody answered at all: neither good nor bad."""
    all_passed: bool
    flips: int = 0
    """How often its verdict turned."""
    line: tuple[int, ...] = ()
    """The last of its verdicts, the newest last."""
    causes: tuple[tuple[int, int], ...] = ()
    """The numbers of what was wrong in the runs that were bad by chance, with how often, the most
    frequent first."""
    goes_with: tuple[GoesWith, ...] = ()
    since: int = 0
    """When the run from which on it is judged was asked for (seconds UTC); 0: the first."""
    bad_runs: tuple[BadRun, ...] = ()
    """The last of those that were bad by chance, the newest last."""


def trust(
    cases: Entries, builds: Mapping[int, str], runners: Mapping[int, str], zone: tzinfo
) -> list[Trust]:
    """Of each case that has entries, by the last of them. `builds`, `runners`: of the runs, where
    they are known; a change of build is a change."""
    ordered = in_order(cases)
    return [
        _trust(ordered[begin:end], cases, builds, runners, zone)
        for begin, end in groups(ordered["case"])
    ]


def _trust(
    mine: Entries,
    every: Entries,
    builds: Mapping[int, str],
    runners: Mapping[int, str],
    zone: tzinfo,
) -> Trust:
    case, mine = int(mine["case"][0]), mine[-LOOKED_AT:]
    nobody = (mine["flags"] & OF_HOST) != 0
    mine = mine[~nobody]
    bad = are_bad(mine)
    all_passed = bool((mine["verdict"] == PASSED).all())
    if not bad.any():  # of most there is nothing to be said
        return Trust(case, all_good(len(mine)), len(mine), int(nobody.sum()), all_passed)
    found = reliability(bad, _changes(mine, builds))
    places = list(found.places)
    return Trust(
        case,
        found,
        len(mine),
        int(nobody.sum()),
        all_passed,
        int((np.diff(bad.astype(np.int8)) != 0).sum()),
        tuple(mine["verdict"][-SHOWN:].tolist()),
        tuple(Counter(mine["cause"][places].tolist()).most_common(MOST_CAUSES)),
        tuple(goes_with(mine, places, every, runners, zone))
        if found.judgement == "unreliable"
        else (),
        int(mine["at"][found.since]) if found.since else 0,
        tuple(
            BadRun(*(int(one[name]) for name in BadRun.__struct_fields__))
            for one in mine[places[-MOST_BAD_RUNS:]]
        ),
    )


def _changes(mine: Entries, builds: Mapping[int, str]) -> list[int]:
    edited = np.flatnonzero(mine["version"][1:] != mine["version"][:-1]) + 1
    of_runs = [builds.get(run, "") for run in mine["run"].tolist()]
    built = [n for n, (one, next) in enumerate(pairwise(of_runs), 1) if next and one != next]
    return sorted({*edited.tolist(), *built})


def goes_with(
    runs: Entries,
    places: Sequence[int],
    every: Entries,
    runners: Mapping[int, str],
    zone: tzinfo,
) -> list[GoesWith]:
    """What the bad runs of a case at these places have in common that its good ones have not: the
    hour, the day of the week, who carried them out, which other case ran at the same time; nothing
    where it may as well be chance. `every`: the entries of all cases of these runs."""
    bad = np.zeros(len(runs), bool)
    bad[list(places)] = True
    mine = runs[bad | ~are_bad(runs)]
    bad = are_bad(mine)
    moments = [datetime.fromtimestamp(at, UTC).astimezone(zone) for at in mine["at"].tolist()]
    families = [
        [Feature(_HOUR, [f"{at:%H}:00" for at in moments])],
        [Feature("weekday", [f"{at:%A}" for at in moments])],
        [Feature("runner", [runners.get(run, "") for run in mine["run"].tolist()])],
        _neighbours(mine, every),
    ]
    # each by itself: the many neighbours would drown the few hours
    found = [
        _goes_with(claim, int(bad.sum()), int((~bad).sum()))
        for family in families
        for claim in in_common(family, bad.tolist(), alpha=ALPHA / len(families))
        if claim.bad * (~bad).sum() > claim.good * bad.sum()
    ]
    return [one for one in found if one.value != "empty"]


def _goes_with(claim: Claim, bad: int, good: int) -> GoesWith:
    beside = claim.feature.startswith(_BESIDE)
    value = claim.feature[len(_BESIDE) :]
    if not beside:
        value = str(claim.why.params["condition"])[len(claim.feature) + 1 :]
    return GoesWith(_kind(claim.feature), value, claim.bad, bad, claim.good, good)


def _kind(feature: str) -> str:
    if feature.startswith(_BESIDE):
        return "beside"
    return "hour" if feature == _HOUR else feature


def _neighbours(mine: Entries, every: Entries) -> list[Feature]:
    """Which other cases ran while it did: of those that did so in some of its runs."""
    order = np.argsort(mine["run"])
    ran, begun, ended = mine["run"][order], *_while(mine[order])
    others = every[every["case"] != mine["case"][0]]
    at = np.minimum(np.searchsorted(ran, others["run"]), len(ran) - 1)
    start, stop = _while(others)
    there = (ran[at] == others["run"]) & (start < ended[at]) & (begun[at] < stop)
    case, run = others["case"][there], others["run"][there]
    ids, number = np.unique(case, return_counts=True)
    some = ids[(number > 2) & (number < len(ran) - 1)]
    some = some[np.argsort(np.abs(number[np.isin(ids, some)] - len(ran) / 2), kind="stable")]
    return [
        Feature(
            f"{_BESIDE}{id}",
            ["yes" if one else "" for one in np.isin(mine["run"], run[case == id]).tolist()],
        )
        for id in some[:MOST_NEIGHBOURS].tolist()
    ]


def _while(cases: Entries) -> tuple[NDArray[np.int64], NDArray[np.int64]]:
    """From when to when each ran, microseconds since its run was asked for."""
    begun = cases["begun"].astype(np.int64) * 1_000
    return begun, begun + cases["us"].astype(np.int64)


# ---- what might help


def proposal(
    code: str, verdict: str, goes: Sequence[GoesWith], name_of: Callable[[int], str]
) -> str:
    """What might make it reliable, as a sentence; empty where nothing is known. `code`: of the
    reason that was most frequent."""
    beside = next((each for each in goes if each.kind == "beside"), None)
    if beside is not None:
        return (
            f"It fails beside “{name_of(int(beside.value))}”: let the two run one after the other."
        )
    if any(each.kind == "row" for each in goes):
        return "It is that row, not chance: look at what it asks for and expects."
    if any(each.kind == "hour" for each in goes):
        return "Something else goes on at that hour: ask who runs what then."
    if verdict == "blocked":
        return "Let the step try again: retries."
    if code in ("differs", "absent", "nothing-there", "count", "not-at-least"):
        return "It may look before that is done: let the step wait until the check holds."
    return ""
