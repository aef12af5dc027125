"""From the verdicts of a watch's runs to what people are told: an outage begins with the first of
so many bad runs in a row, and ends with the first of so many good ones; fewer bad ones between good
ones are a hiccup. What was not watched, or was nobody's fault but ours, is neither: it breaks no
row, and begins none.

One run after another, each once and in the order in which they were due: what is to be kept between
two is a small record.
"""

from __future__ import annotations

from typing import Literal

from msgspec import Struct
from msgspec.structs import replace

Kind = Literal["outage", "recovery", "hiccup"]


class Rule(Struct, frozen=True):
    """How many runs in a row it takes to be believed."""

    bad: int = 3
    good: int = 1


class Seen(Struct, frozen=True):
    """One run, by when it was due (UTC microseconds)."""

    due: int
    bad: bool | None
    """Failed, blocked or too slow; None: it was not watched, or it was our own side."""


class State(Struct, frozen=True):
    """What is known of a watch after a run; moments are when runs were due."""

    bad_since: int | None = None
    """The first of the bad runs in a row that stand now."""
    bad_runs: int = 0
    good_since: int | None = None
    """Within an outage the first of the good runs in a row that stand now."""
    good_runs: int = 0
    outage: int | None = None
    """Since when there is one."""


class Change(Struct, frozen=True):
    """What people may be told: of an outage when it began and how many runs it took to be believed,
    of a recovery when that was and since when the outage had been, of a hiccup when it began."""

    kind: Kind
    at: int
    since: int
    runs: int


def after(state: State, run: Seen, rule: Rule) -> tuple[State, Change | None]:
    """What is known after one more run, and what has changed by it."""
    if run.bad is None:
        return state, None
    if run.bad:
        since = run.due if state.bad_since is None else state.bad_since
        state = replace(
            state, bad_since=since, bad_runs=state.bad_runs + 1, good_since=None, good_runs=0
        )
        if state.outage is None and state.bad_runs >= rule.bad:
            return replace(state, outage=since), Change("outage", since, since, state.bad_runs)
        return state, None
    if state.outage is None:
        if state.bad_since is None:
            return state, None
        return State(), Change("hiccup", state.bad_since, state.bad_since, state.bad_runs)
    since = run.due if state.good_since is None else state.good_since
    good = state.good_runs + 1
    if good >= rule.good:
        return State(), Change("recovery", since, state.outage, good)
    return replace(state, good_since=since, good_runs=good, bad_since=None, bad_runs=0), None
