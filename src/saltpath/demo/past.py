"""The made-up past of the demonstration's cases: thirty days of runs of every suite, with steps
that became slower or quicker, cases that cannot be trusted, what broke and was mended. It is
recorded the way that runs are, by a clock that is handed in; a seed draws it.

Steps inside a step for each item, and rows, have no past of their own.
"""

from __future__ import annotations

import random
import sqlite3
from collections import Counter
from collections.abc import Iterator
from contextlib import closing
from datetime import UTC, datetime, timedelta
from math import pi, sin
from pathlib import Path
from zoneinfo import ZoneInfo

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.answers.exchange import Exchange, Times
from saltpath.core.cases.case import Case, Step
from saltpath.core.cases.expectations import Check, Expectation
from saltpath.core.cases.shared import linked
from saltpath.core.checks.judge import unjudged
from saltpath.core.format.readable import readable_case
from saltpath.core.running.causes import Failure, FailureFinder
from saltpath.core.running.events import StepFinished
from saltpath.core.running.plan import RunRequest
from saltpath.core.values.verdicts import Verdict, worst
from saltpath.core.values.why import Why, as_masked
from saltpath.demo.harbour.pace import SPREAD, usual_us
from saltpath.runner import summing
from saltpath.store import (
    cases,
    causes,
    jobs,
    known,
    people,
    projects,
    run_records,
    runs,
    shared_steps,
)
from saltpath.store.database import connect, write
from saltpath.store.known import Known, Said
from saltpath.store.packing import Packer
from saltpath.store.step_rows import row_of

NAME = "Fernholm Harbour"
WHERE = "Rehearsal"
DAYS = 30
SEED = 90417
SECOND_US = 1_000_000
TIMES = ((2, 0), (7, 40), (12, 10), (17, 10))
"""When runs begin, by the project's clocks; on Saturdays and Sundays only at night."""
NEW_BUILD = 18
"""So many runs before the end 3.3.0 came: what it did shows in 997 of 1,000 such pasts, after 14
runs in 950."""
LOOKED = 19
"""So many runs before the end the times were looked through before."""
BUILDS = ("3.2.0", "3.3.0")


class Wrong(Struct, frozen=True):
    """What goes wrong with a case: at a step and one of its checks (by its place), from so many
    days ago up to so many. `share`: of the runs; `at_night`: only in those. Without a step: its
    rows, which have no past."""

    since: float
    until: float
    step: str
    check: int
    why: Why
    share: float = 1.0
    at_night: bool = False
    verdict: Verdict = "failed"


def _differs(of: str, actual: str, expected: str) -> Why:
    return Why("differs", {"of": f"{of} ", "actual": actual, "expected": expected})


WRONG = {
    "s1gn3d0rdr": Wrong(1.9, 0, "order1", 0, _differs("status", "403", "201")),
    "c2v7s5n0ha": Wrong(24.2, 21.9, "twonit", 1, _differs("$.total", "452.40", "448.80")),
    "m4t9x2k7bd": Wrong(24.2, 23.1, "lstfre", 0, _differs("status", "503", "200")),
    "p1l0tsbyln": Wrong(12.6, 10.3, "somele", 0, _differs("status", "502", "200")),
    "z8d1f6g3lp": Wrong(
        30, 0, "vslfrn", 3, _differs("$.items[0].name", "“Tern”", "“Gannet Rose”"), share=0.13
    ),
    "t1d3t4bl3s": Wrong(
        30, 0, "asktid", 2, _differs("$.tides", "3 items", "4"), share=0.22, at_night=True
    ),
    "w34th3rm0u": Wrong(
        30,
        0,
        "askwea",
        -1,
        Why("timed-out", {"limit": "5 s"}),
        share=0.012,
        verdict="blocked",
    ),
    "w33karr1va": Wrong(
        12.4,
        0,
        "askwek",
        2,
        Why("not-at-least", {"of": "$.berth.metres ", "actual": "120", "expected": "141.9"}),
    ),
    "w33karr1va, too": Wrong(
        12.4,
        0,
        "readwk",
        -1,
        Why("null-inserted", {"name": "row.quay"}),
        verdict="blocked",
    ),
    "st0redw4sk": Wrong(
        4.9,
        0,
        "lookst",
        1,
        _differs("$[0].vessel", "“Tern &amp; Daughter”", "“Tern & Daughter”"),
    ),
}
"""By the keys of the cases; what else goes wrong with one that runs over rows is `too`."""
NO_PAST_STEPS = frozenset(["w33karr1va", "st0redw4sk", "qu0tedag4n", "be7thst0re", "pa1rw1sevs"])
"""They run over rows."""
ROWS = 12
MOVED = {"POST /cargo": (0, 1.52), "GET /tide-windows": (17.6, 1.21), "POST /sessions": (12.7, 0.6)}
"""Since how many days ago an operation is so much slower; 0: since the new build."""
AT_ONCE_US = 3_000
"""How long it takes for what the harbour answers at once."""
KNOWN = {
    "w33karr1va, too": ("Ines Wathne", "ticket 88: row 10 has no quay", 4),
    "w33karr1va": ("Ines Wathne", "ticket 88: no berth is as long as the Aldersund ferry", 4),
    "st0redw4sk": ("Odd Vermeer", "ticket 91: the ledger escapes names twice", -1),
}
"""Whose cause somebody knows: who, a note, until how many days from now."""


def fill(folder: Path, now_us: int, host: str) -> None:
    """Give the project's cases their past, up to a moment, and sum it up. `host`: where the harbour
    answers."""
    with (
        closing(connect(folder)) as main,
        closing(connect(folder, "evidence")) as evidence,
        closing(connect(folder, "history")) as history,
    ):
        for connection in (main, evidence, history):
            connection.execute("PRAGMA synchronous = OFF")
        looked_at = _Past(main, evidence, now_us, host).make()
        reader = summing.Reader()
        while summing.sum_up(main, evidence, history, reader):
            pass
        for moment in (looked_at, now_us):
            summing.look(main, history, summing.Reader(), moment // SECOND_US)


def _own_checks(step: Step) -> list[Expectation]:
    return [one for one in step.expect if not one.advice and not one.off]


def _method(step: Step) -> str:
    return step.where_to().partition(" ")[0] if step.sends else ""


def _path(step: Step) -> str:
    """Its path, with something in the place of what is inserted."""
    parts = step.address.parts if step.address is not None else ()
    return "".join(part if isinstance(part, str) else "1" for part in parts).removeprefix("1")


class _Past:
    def __init__(
        self, main: sqlite3.Connection, evidence: sqlite3.Connection, now: int, host: str
    ) -> None:
        self._main, self._evidence, self._now, self._host = main, evidence, now, host
        self._project = next(one for one in projects.projects(main) if one.name == NAME)
        self._zone = ZoneInfo(str(self._project.document["zone"]))
        self._packer = Packer()
        self._chance = random.Random(SEED)
        self._stored = cases.cases(main, self._project.id)
        library = shared_steps.library(main, self._project.id)
        self._cases = [
            linked(readable_case(one.document, one.name, one.key)[0], library)
            for one in self._stored
        ]
        self._people = [one.id for one in people.people(main)][:2]
        self._finder = FailureFinder(self._cases)
        self._found: dict[str, Failure] = {}

    def make(self) -> int:
        """A moment some runs before the end, at which somebody has looked through it."""
        moments = list(self._moments())
        self._new_at = moments[-NEW_BUILD]
        for number, at in enumerate(moments):
            with write(self._main), write(self._evidence):
                self._run(number, at)
        for key, (owner, note, days) in KNOWN.items():
            self._know(key, owner, note, days)
        return moments[-LOOKED]

    def _moments(self) -> Iterator[int]:
        here = datetime.fromtimestamp(self._now / SECOND_US, UTC).astimezone(self._zone)
        for days in range(DAYS, -1, -1):
            day = here - timedelta(days=days)
            for hour, minute in TIMES:
                if hour > TIMES[0][0] and day.weekday() >= 5:
                    continue
                begun = day.replace(hour=hour, minute=minute, second=0, microsecond=0)
                at = round(begun.timestamp()) * SECOND_US
                if at < self._now - 600 * SECOND_US:
                    yield at + self._chance.randrange(4 * SECOND_US)

    def _ago(self, at: int) -> float:
        """Days."""
        return (self._now - at) / SECOND_US / 86_400

    def _run(self, number: int, at: int) -> None:
        hour = datetime.fromtimestamp(at / SECOND_US, UTC).astimezone(self._zone).hour
        build = BUILDS[at >= self._new_at]
        run, _ = runs.ask(
            self._main,
            self._project.id,
            self._people[number % len(self._people)],
            [(one.id, one.version, one.name) for one in self._stored],
            kind="run",
            title="Every suite",
            environments=[WHERE],
            seed=SEED + number,
            build=build,
            request=RunRequest(jobs=2),
            at=at,
        )
        # by lot: runners that took turns would each have hours of their own
        runner = random.Random(f"{SEED} {number}").choice((1, 2))
        job = jobs.take(self._main, f"runner {runner}_past")
        run_records.record_started(self._main, run.id, at)
        moment = at
        for position, case in enumerate(self._cases):
            moment = self._case(run.id, position, case, moment, hour < 6)
        run_records.record_finished(self._main, run.id, moment, "")
        if job is not None:
            jobs.finish(self._main, job)

    def _case(self, run: int, position: int, case: Case, at: int, at_night: bool) -> int:
        """Record it; when it ended."""
        run_records.record_case_started(self._main, run, position, at)
        wrong = self._wrong(case.key, at, at_night)
        steps = self._steps(position, case, at, wrong)
        self._note(run, position, case.key, steps, 0)
        also = self._wrong(f"{case.key}, too", at, at_night)
        if also is not None:
            more = self._steps(position, case, at, also)
            self._note(run, position, f"{case.key}, too", more, 1)
        why = next((one.why for one in steps if one.verdict in ("failed", "blocked")), None)
        counted = [one.verdict for one in steps if one.counts]
        verdict = worst(counted) if counted else "unchecked"
        us = sum(one.us for one in steps if not one.inner)
        if case.key in NO_PAST_STEPS:
            bad = int(verdict == "failed")
            counts = Counter(passed=ROWS - bad, failed=bad)
            run_records.record_rows(self._main, run, position, dict(+counts))
            us *= ROWS
        else:
            rows = [row_of(one, position) for one in steps]
            self._packer.insert(self._evidence, self._project.id, run, rows)
            run_records.record_steps(self._main, run, position, len(rows))
        reason = why.to_json() if why else None
        run_records.record_case_finished(self._main, run, position, verdict, reason, us)
        return at + us

    def _note(self, run: int, position: int, key: str, steps: list[StepFinished], row: int) -> None:
        """What they were cases of."""
        for step in steps:
            failure = self._finder.find(step)
            if failure is not None:
                place = causes.Place(position, step.row + row, step.part, step.step, step.inner)
                causes.insert(self._evidence, self._project.id, run, place, failure)
                self._found[key] = failure

    def _wrong(self, key: str, at: int, at_night: bool) -> Wrong | None:
        wrong = WRONG.get(key)
        if wrong is None or not wrong.until <= self._ago(at) < wrong.since:
            return None
        if wrong.at_night and not at_night:
            return None
        return wrong if self._chance.random() < wrong.share else None

    def _steps(self, position: int, case: Case, at: int, wrong: Wrong | None) -> list[StepFinished]:
        found: list[StepFinished] = []
        for part, index, step in case.parts():
            if step.inside:
                continue
            row = 0 if part in ("once", "at the end") else 1
            inner = [
                self._step(one, at, wrong, inner=str(place))
                for place, one in enumerate(step.carried_out)
            ]
            whole = self._step(step, at, wrong, us=sum(one.us for one in inner))
            for one in (*inner, whole):
                # what cleans up without checks does not count
                counts = one.counts and (part == "steps" or one.judged)
                found.append(
                    replace(one, case=position, row=row, part=part, step=index, counts=counts)
                )
                at = one.at
            if whole.verdict in ("failed", "blocked"):
                break
        return found

    def _step(
        self,
        step: Step,
        at: int,
        wrong: Wrong | None,
        us: int = 0,
        inner: str = "",
    ) -> StepFinished:
        here = wrong if wrong is not None and wrong.step == step.key else None
        if step.sends:
            us = self._length(_method(step), _path(step), at)
        if here is not None and here.verdict == "blocked":
            us = 5 * SECOND_US
        why = as_masked(here.why) if here is not None else None
        outcomes = [unjudged(one, "passed") for one in step.expect if isinstance(one, Check)]
        if here is not None and here.verdict == "failed":
            outcomes[here.check] = replace(
                outcomes[here.check],
                verdict="failed",
                actual=here.why.params["actual"],
                where=(here.why.params["of"].strip(),),
                why=here.why,
            )
        if here is not None and here.verdict == "blocked":
            outcomes = []
        status = self._status(step, here)
        exchanges = (self._exchange(step, at, us, status),) if step.sends else ()
        return StepFinished(
            at + us,
            0,
            1,
            "steps",
            0,
            step.key,
            step.name,
            step.kind,
            self._verdict(step, here),
            why,
            us,
            status,
            exchanges,
            tuple(outcomes),
            {},
            {},
            counts=not step.only_sets and step.kind != "wait",
            inner=inner,
            judged=bool(outcomes),
        )

    def _verdict(self, step: Step, wrong: Wrong | None) -> Verdict:
        if wrong is not None:
            return wrong.verdict
        cleans_up = _method(step) == "DELETE"
        return "passed" if _own_checks(step) or not step.answered or cleans_up else "unchecked"

    def _length(self, method: str, path: str, at: int) -> int:
        usual: float = usual_us(method, path) or AT_ONCE_US
        for asked, (since, factor) in MOVED.items():
            before = self._ago(at) >= since if since else at < self._new_at
            if before and f"{method} {path}".startswith(asked):
                usual /= factor
        by_day = 1 + 0.03 * sin(2 * pi * (at / SECOND_US % 86_400) / 86_400)
        return round(usual * by_day * self._chance.lognormvariate(0, SPREAD)) + 1_500

    def _status(self, step: Step, wrong: Wrong | None) -> int:
        if wrong is not None and wrong.verdict == "blocked":
            return 0
        for place, one in enumerate(step.expect):
            if isinstance(one, Check) and one.of.kind == "status" and isinstance(one.expected, int):
                if wrong is not None and place == wrong.check:
                    return int(wrong.why.params["actual"])
                return one.expected
        return 200 if step.sends else 0

    def _exchange(self, step: Step, at: int, us: int, status: int) -> Exchange:
        method, path = _method(step), _path(step)
        sent = f"{method} {path} HTTP/1.1\r\nHost: {self._host}\r\n\r\n".encode()
        connect, body = 400, b"{}" if status else b""
        waiting = round((us - connect) * 0.9)
        received = f"HTTP/1.1 {status} \r\nContent-Type: application/json\r\n\r\n".encode()
        return Exchange(
            method,
            f"http://{self._host}{path}",
            sent,
            b"",
            status,
            received if status else b"",
            body,
            body,
            Times(100, connect - 100, 0, waiting, us - connect - waiting, us),
            at,
        )

    def _know(self, key: str, owner: str, note: str, days: int) -> None:
        failure = self._found[key]
        place = next(at for at, one in enumerate(self._cases) if key.startswith(one.key))
        day = datetime.fromtimestamp(self._now / SECOND_US, UTC).astimezone(self._zone)
        until = (day + timedelta(days=days)).date().isoformat()
        cause = Known(
            failure.signature,
            failure.verdict,
            f"{failure.step}: {failure.said}",
            Said(owner, note, until),
            frozenset([self._stored[place].id]),
            WHERE,
            "",
            self._now - 3 * 86_400 * SECOND_US,
        )
        known.put(self._main, self._project.id, self._people[0], cause, None)
