"""The made-up past of the demonstration's watches: thirty days of runs (of the nightly one so many
that clocks have changed among them), with outages, a slow-down, hiccups and maintenance. It goes
the way that runs go, claimed and written down, by a clock that is handed in; a seed draws it."""

from __future__ import annotations

import random
import sqlite3
from bisect import bisect
from collections.abc import Iterator
from contextlib import closing
from datetime import datetime, timedelta
from itertools import chain, islice
from math import pi, sin
from pathlib import Path
from zoneinfo import ZoneInfo

from msgspec import Struct

from saltpath.core.watching.flags import (
    ANSWERED,
    MAINTENANCE,
    Fate,
    fate_of_verdict,
    flag_of,
)
from saltpath.core.watching.schedule import Schedule
from saltpath.runner import noticing
from saltpath.runner.keeper import FRESH_S
from saltpath.runner.watch_ledger import Active, WatchLedger
from saltpath.store.database import connect, write
from saltpath.store.history import alerts, blocks, heads, runs, slabs
from saltpath.store.history.runs import SECOND_US, Claim, Ended

DAY_US = 86_400 * SECOND_US
MIN_US = 60 * SECOND_US
HOUR_US = 60 * MIN_US
AT_ONCE = 4_000
SEED = 90417


class Trouble(Struct, frozen=True):
    """Something that went wrong: so many days ago, at a time of the day by the project's clocks,
    for so many minutes."""

    days: int
    at: tuple[int, int]
    minutes: float
    fate: Fate
    why: str
    us: int = 0
    """How long answers took then."""


class Past(Struct, frozen=True):
    """What a watch has behind it."""

    days: int
    usual_us: int
    spread: float
    troubles: tuple[Trouble, ...] = ()
    hiccups: float = 0.0
    """The share of single runs that went wrong."""
    slower_days: float = 0.0
    """Since how many days ago it is slower."""
    slower_by: float = 0.5


NO_ANSWER = "No answer within 5 s"
SIGN_IN_DOWN = "Sign in as harbour agent: status was 503, expected 201"
PASTS = {
    "t1d3w4tch0": Past(
        30,
        92_000,
        0.16,
        (
            Trouble(24, (10, 40), 31, "blocked", NO_ANSWER),
            Trouble(9, (17, 5), 14, "slow", "Answers took 0.87 s, the limit is 500 ms", 870_000),
            Trouble(1, (14, 20), 9, "slow", "Answers took 0.81 s, the limit is 500 ms", 810_000),
        ),
        hiccups=0.0006,
    ),
    "b3rthd3sk0": Past(
        30,
        240_000,
        0.22,
        (
            Trouble(
                12, (4, 10), 20, "failed", "Sign in as harbour agent: status was 503, expected 201"
            ),
        ),
        hiccups=0.0004,
    ),
    "c4rgon1ght": Past(220, 190_000, 0.12, slower_days=41, slower_by=0.52),
    "p1l0tr0st3": Past(30, 61_000, 0.2, hiccups=0.0009),
    "w34th3rw4t": Past(30, 34_000, 0.25, hiccups=0.0003, slower_days=0.9, slower_by=0.45),
}
"""By the keys of the watches."""


def fill(folder: Path, now_us: int) -> None:
    """Give each watch its past, up to a moment; nobody is told of it now."""
    ledger = WatchLedger(folder, "the demonstration")
    with closing(connect(folder, "history")) as history:
        history.execute("PRAGMA synchronous = OFF")
        begin = now_us - max(past.days for past in PASTS.values()) * DAY_US
        for active in ledger.active(begin) or []:
            past = PASTS.get(str(active.stored.document.get("key")))
            if past is not None:
                _live(history, ledger.epoch, active, past, now_us)
        now = now_us // SECOND_US
        for _ in chain(blocks.pack(history, now - FRESH_S), slabs.roll_up(history, now)):
            pass
        with closing(connect(folder)) as main:
            for hours in (30, 2, 0):  # a change is believed when two looks agree
                moment = now_us - hours * HOUR_US
                noticing.look_for_slower(main, history, moment)
        for _ in heads.seal(history, now, now - 31 * DAY_US // SECOND_US):
            pass
        for alert in alerts.unplanned(history):
            alerts.plan(history, alert, ())


def _live(history: sqlite3.Connection, epoch: int, active: Active, past: Past, now: int) -> None:
    rules = {active.stored.id: active.watch.rule}
    ended = _past(active, past, now)
    while some := list(islice(ended, AT_ONCE)):
        here = [one for one in some if one.us or one.at]
        claims = [Claim(one.watch, one.due, 0) for one in here]
        fell_out = [one for one in some if not one.at]
        looked = [(active.stored.id, some[-1].due * SECOND_US + SECOND_US - 1)]
        runs.claim(history, epoch, claims, looked, fell_out, now)
        with write(history):
            runs.end(history, epoch, here, rules)
    with write(history):
        runs.look_on(history, active.stored.id, now)


def _past(active: Active, past: Past, now: int) -> Iterator[Ended]:
    """Its runs, one after the other, with the moments at which nobody watched any more."""
    schedule, watch = active.schedule, active.stored.id
    chance = random.Random(f"{SEED} {active.stored.document['key']}")
    begin = now - past.days * DAY_US
    agreed = active.watch.agreed(active.zone, begin, now)
    troubles = [(_began(one, active.zone, now), one) for one in past.troubles]
    for moment, is_run in _moments(schedule, begin, now):
        due = moment // SECOND_US
        if not is_run:
            yield Ended(active.stored.project, watch, due, 0, flag_of("unwatched"))
            continue
        fate, us, why = _came(past, troubles, chance, moment, now, active.watch.limits.time_us)
        bits = 0 if fate == "blocked" else ANSWERED
        at = bisect(agreed, (moment, now)) - 1
        if at >= 0 and moment < agreed[at][1]:
            bits |= MAINTENANCE
        yield Ended(
            active.stored.project,
            watch,
            due,
            0,
            flag_of(fate, bits),
            us,
            min(int(chance.expovariate(1.2)), 20),
            moment + us,
            signature=why[:16],
            why=why,
        )


def _moments(schedule: Schedule, begin: int, now: int) -> list[tuple[int, bool]]:
    runs_due = [(due, True) for due in schedule.due_between(begin, now)]
    return sorted(runs_due + [(at, False) for at in schedule.closings(begin, now)])


def _began(trouble: Trouble, zone: str, now: int) -> int:
    """When it did, UTC microseconds."""
    here = datetime.fromtimestamp(now / 1e6, ZoneInfo(zone)) - timedelta(days=trouble.days)
    hour, minute = trouble.at
    return round(here.replace(hour=hour, minute=minute, second=0).timestamp()) * SECOND_US


def _came(
    past: Past,
    troubles: list[tuple[int, Trouble]],
    chance: random.Random,
    moment: int,
    now: int,
    limit: int | None,
) -> tuple[Fate, int, str]:
    """What became of a run: its fate, its time in microseconds, why."""
    ago = now - moment
    usual = past.usual_us * (1 + 0.12 * sin(2 * pi * (ago % DAY_US) / DAY_US))
    if ago < past.slower_days * DAY_US:
        usual *= 1 + past.slower_by
    us = round(usual * chance.lognormvariate(0, past.spread))
    for begin, trouble in troubles:
        if begin <= moment < begin + trouble.minutes * MIN_US:
            took = round(trouble.us * chance.uniform(0.95, 1.1)) or us
            return trouble.fate, took, trouble.why
    if chance.random() < past.hiccups:
        return "blocked", 5_000_000, NO_ANSWER
    fate = fate_of_verdict("passed", us, limit)
    return fate, us, "It took longer than its limit" if fate == "slow" else ""
