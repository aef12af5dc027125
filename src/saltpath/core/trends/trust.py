"""Which cases cannot be trusted: whose verdict turns with nothing changed
(statistics/unreliable.py), at what, and what that goes with."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from datetime import UTC, datetime, tzinfo
from itertools import pairwise

import numpy as np
from msgspec import Struct

from saltpath.core.statistics.in_common import ALPHA, Claim, Feature, in_common
from saltpath.core.statistics.unreliable import Reliability, reliability
from saltpath.core.trends.entries import OF_HOST, Entries, are_bad, groups

LOOKED_AT = 500
"""Of the last runs of a case."""
MOST_NEIGHBOURS = 40
_HOUR = "the hour"
_BESIDE = "beside "


class Trust(Struct, frozen=True):
    """What is known of a case against an environment. `runs`: the entries that were looked at."""

    case: int
    found: Reliability
    runs: Entries
    hiccups: int
    """Runs in which nobody answered at all: neither good nor bad."""

    @property
    def causes(self) -> list[tuple[int, int]]:
        """The numbers of what was wrong in the runs that were bad by chance, with how often, the
        most frequent first."""
        places = list(self.found.places)
        return Counter(self.runs["cause"][places].tolist()).most_common()


class GoesWith(Struct, frozen=True):
    """What bad runs have in common, and good ones less: of how many of each it holds. `kind`: hour
    (`value`: it), weekday, runner, beside (the number of the other case)."""

    kind: str
    value: str
    bad: int
    of_bad: int
    good: int
    of_good: int


def trust(ordered: Entries, builds: Mapping[int, str]) -> Iterator[Trust]:
    """Of each case, by its entries as `in_order` gives them. `builds`: of the runs, where they are
    known; a change of build is a change."""
    for begin, end in groups(ordered["case"]):
        mine = ordered[begin:end][-LOOKED_AT:]
        nobody = (mine["flags"] & OF_HOST) != 0
        mine = mine[~nobody]
        found = reliability(are_bad(mine), _changes(mine, builds))
        yield Trust(int(ordered["case"][begin]), found, mine, int(nobody.sum()))


def _changes(mine: Entries, builds: Mapping[int, str]) -> list[int]:
    edited = np.flatnonzero(mine["version"][1:] != mine["version"][:-1]) + 1
    of_runs = [builds.get(run, "") for run in mine["run"].tolist()]
    built = [n for n, (one, next) in enumerate(pairwise(of_runs), 1) if next and one != next]
    return sorted({*edited.tolist(), *built})


def goes_with(
    one: Trust, every: Entries, runners: Mapping[int, str], zone: tzinfo
) -> list[GoesWith]:
    """What its bad runs have in common that its good ones have not: the hour, the day of the week,
    who carried them out, which other case ran at the same time; nothing where it may as well be
    chance. `every`: the entries of all cases of these runs."""
    bad = np.zeros(len(one.runs), bool)
    bad[list(one.found.places)] = True
    mine = one.runs[bad | ~are_bad(one.runs)]
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
    case, beside = int(mine["case"][0]), dict[int, set[int]]()
    own = {int(one["run"]): _while(one) for one in mine}
    for other in every[np.isin(every["run"], list(own)) & (every["case"] != case)]:
        (begin, end), (start, stop) = own[int(other["run"])], _while(other)
        if start < end and begin < stop:
            beside.setdefault(int(other["case"]), set()).add(int(other["run"]))
    runs = mine["run"].tolist()
    some = [(id, there) for id, there in beside.items() if 2 < len(there) < len(runs) - 1]
    some.sort(key=lambda item: abs(len(item[1]) - len(runs) / 2))
    return [
        Feature(f"{_BESIDE}{id}", ["yes" if run in there else "" for run in runs])
        for id, there in some[:MOST_NEIGHBOURS]
    ]


def _while(one: Entries) -> tuple[int, int]:
    """From when to when it ran, microseconds since its run was asked for."""
    begun = int(one["begun"]) * 1_000
    return begun, begun + int(one["us"])


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
    if any(each.kind == "hour" for each in goes):
        return "Something else goes on at that hour: ask who runs what then."
    if verdict == "blocked":
        return "Let the step try again: retries."
    if code in ("differs", "absent", "nothing-there", "count", "not-at-least"):
        return "It may look before that is done: let the step wait until the check holds."
    return ""
