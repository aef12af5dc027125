"""Sums up runs that have ended: how each of their cases ended, and what steps, shared steps,
operations and hosts took. The keeper does, a few seconds after; what nobody has looked at since an
older version ran is made up for, a few runs at a time."""

from __future__ import annotations

import logging
import sqlite3
from collections import Counter, defaultdict
from collections.abc import Iterable, Iterator
from datetime import UTC, date, datetime, tzinfo
from urllib.parse import urlsplit

import numpy as np
from msgspec import Struct, field

from saltpath.core.answers.exchange import Times
from saltpath.core.cases.expectations import checks_in
from saltpath.core.format.readable import project_zone, readable_case
from saltpath.core.running.causes import Failure, is_of_host
from saltpath.core.trends.changes import as_found, by_series, moved_in, of_enough, rule_for
from saltpath.core.trends.entries import CASE, KNOWN, MOST, OF_HOST, OURS, VERDICTS, Entries, What
from saltpath.core.trends.followed import Followed, followed_in
from saltpath.core.trends.summing import Taken, phases_of, step_entries
from saltpath.core.trends.trust import trust
from saltpath.store import cases, causes, evidence, known, projects, runs, shared_steps
from saltpath.store.database import NotFound
from saltpath.store.evidence import Taken as Step
from saltpath.store.trends import entries, looks, series, trusts
from saltpath.store.trends.entries import SECOND_US, SummedRun
from saltpath.store.trends.looks import Look
from saltpath.store.trends.series import Series

log = logging.getLogger("saltpath.keeper")
AT_ONCE = 20
"""Runs that are summed up before others have a turn."""
LOOKED_AT = 4
"""Of the rows in which a step was carried out, so many say what its phases were."""
MONTH_S = 30 * 86_400
LOOKED_BACK_S = 3 * MONTH_S
"""So far back one looks for what became slower."""
_BY_VERDICT = {verdict: number for number, verdict in enumerate(VERDICTS)}
_OURS = ("interrupted", "stopped", "stopped-at-row")
_TIMED = ("passed", "unchecked")


class Known(Struct, frozen=True):
    """What stands in a case, or in shared steps: what is followed, by key, and the checks."""

    id: int
    followed: dict[str, Followed]
    checks: int


class Reader(Struct):
    """Documents that were read, since runs one after another have the same; and where something
    has run that was not looked through (None: nobody knows)."""

    new: set[tuple[int, str]] | None = None
    read: dict[tuple[int, int], Known] = field(default_factory=dict)

    def case(self, main: sqlite3.Connection, id: int, version: int) -> Known:
        found = self.read.get((id, version))
        if found is None:
            try:
                found = self.read[id, version] = self.of(cases.case_at(main, id, version))
            except NotFound:
                found = self.read[id, version] = Known(id, {}, 0)
        return found

    def of(self, stored: cases.StoredCase) -> Known:
        """A case, or shared steps, at the version that is stored there."""
        key = (stored.id, stored.version)
        if key not in self.read:
            if len(self.read) > 5_000:
                self.read.clear()
            self.read[key] = _known(stored)
        return self.read[key]


def _known(stored: cases.StoredCase) -> Known:
    case, _ = readable_case(stored.unread or stored.document, stored.name, stored.key)
    checks = sum(1 for _, _, step in case.parts() for _ in checks_in(step.expect))
    return Known(stored.id, {one.key: one for one in followed_in(case)}, checks)


def sum_up(
    main: sqlite3.Connection,
    evidence_of: sqlite3.Connection,
    history: sqlite3.Connection,
    reader: Reader,
) -> int:
    """Some of the runs that have ended; how many."""
    found = entries.to_sum_up(main, history, AT_ONCE)
    for id, finished_at in found:
        run = runs.run_by_id(main, id)
        made: dict[tuple[What, str], Entries] = {}
        try:
            made = _entries_of(main, evidence_of, history, reader, run)
        except sqlite3.Error:
            raise
        except Exception:  # the runs after it have nothing to do with it
            log.exception("a fault of Salt Path's own: run %s could not be summed up", run.oid)
        entries.add(history, _summed(main, run, finished_at), made)
        if reader.new is not None:
            reader.new |= {(run.project, environment) for _, environment in made}
    return len(found)


def _entries_of(
    main: sqlite3.Connection,
    evidence_of: sqlite3.Connection,
    history: sqlite3.Connection,
    reader: Reader,
    run: runs.Run,
) -> dict[tuple[What, str], Entries]:
    ended = [one for one in runs.run_cases(main, run.id) if one.verdict is not None]
    steps = _Steps(main, evidence_of, history, reader, run)
    made: dict[tuple[What, str], Entries] = {}
    for environment, of_it in _by_environment(ended).items():
        made["case", environment] = _cases(main, evidence_of, history, reader, run, of_it)
        made["step", environment] = steps.entries(of_it)
    return made


def _summed(main: sqlite3.Connection, run: runs.Run, finished_at: int) -> SummedRun:
    return SummedRun(
        run.id,
        run.project,
        run.number,
        run.oid,
        run.build,
        runs.runner_of(main, run.id),
        run.asked_at,
        finished_at,
    )


def _by_environment(ended: Iterable[runs.RunCase]) -> dict[str, list[runs.RunCase]]:
    found: dict[str, list[runs.RunCase]] = defaultdict(list)
    for one in ended:
        found[one.environment].append(one)
    return found


# ---- cases


def _cases(
    main: sqlite3.Connection,
    evidence_of: sqlite3.Connection,
    history: sqlite3.Connection,
    reader: Reader,
    run: runs.Run,
    ended: list[runs.RunCase],
) -> Entries:
    failures = causes.failures_of_cases(evidence_of, run.id)
    day = _day(main, run)
    no_news = {
        signature
        for signature, one in known.known(main, run.project).items()
        if date.fromisoformat(one.said.until) >= day
    }
    made = np.zeros(len(ended), CASE)
    for place, one in enumerate(ended):
        of_it = failures.get(one.position, [])
        made[place] = (
            one.case_id,
            run.id,
            run.asked_at // SECOND_US,
            one.version,
            reader.case(main, one.case_id, one.version).checks,
            *_rows(one),
            series.cause_number(history, run.project, of_it[0]) if of_it else 0,
            min(max((one.started_at or run.asked_at) - run.asked_at, 0) // 1_000, MOST),
            one.us or 0,
            _BY_VERDICT[one.verdict or "skipped"],  # type: ignore[index]
            _flags(one, of_it, no_news),
            min(one.position, 65_535),
        )
    return made


def _day(main: sqlite3.Connection, run: runs.Run) -> date:
    zone = project_zone(projects.project_by_id(main, run.project).document)
    return datetime.fromtimestamp(run.asked_at / SECOND_US, UTC).astimezone(zone).date()


def _rows(one: runs.RunCase) -> tuple[int, int]:
    if one.rows is None:
        return 1, int(one.verdict in ("failed", "blocked"))
    counts = Counter(one.rows)
    return min(counts.total(), MOST), min(counts["failed"] + counts["blocked"], MOST)


def _flags(one: runs.RunCase, failures: list[Failure], no_news: set[str]) -> int:
    flags = 0
    if failures and all(failure.signature in no_news for failure in failures):
        flags |= KNOWN
    if failures and all(map(is_of_host, failures)):
        flags |= OF_HOST
    if one.verdict == "blocked" and one.why is not None and one.why["code"] in _OURS:
        flags |= OURS
    return flags


# ---- steps


class _Steps:
    """The steps of a run, each counted for itself and for what it has in common with others."""

    def __init__(
        self,
        main: sqlite3.Connection,
        evidence_of: sqlite3.Connection,
        history: sqlite3.Connection,
        reader: Reader,
        run: runs.Run,
    ) -> None:
        self._main, self._evidence, self._history = main, evidence_of, history
        self._reader, self._run = reader, run
        self._taken: dict[int, list[Step]] = defaultdict(list)
        for one in evidence.taken(evidence_of, run.id):
            self._taken[one.position].append(one)
        self._shared: dict[str, tuple[Known, Followed]] = {}
        self._shared_by_name: dict[str, tuple[int, str]] = {}
        for stored in shared_steps.shared_steps(main, run.project):
            held = reader.of(stored)
            self._shared_by_name[cases.called(stored)] = stored.id, stored.name
            self._shared |= {key: (held, one) for key, one in held.followed.items()}

    def entries(self, ended: list[runs.RunCase]) -> Entries:
        """Those of some cases of it, all against one environment."""
        steps: dict[tuple[int, str], list[Step]] = defaultdict(list)
        for one in ended:
            for step in self._taken.get(one.position, ()):
                steps[one.position, step.key].append(step)
        by_position = {one.position: one for one in ended}
        found: list[tuple[list[Series], list[Step], list[Times], bool]] = [
            (
                [Series("case", str(one.case_id), one.name, one.case_id)],
                [Step(0, one.position, "", one.verdict or "", 0, one.us or 0, 0)],
                [],
                True,
            )
            for one in ended
            if one.verdict != "skipped"
        ]
        for (position, key), of_it in steps.items():
            case = by_position[position]
            own = self._reader.case(self._main, case.case_id, case.version)
            holder, followed = own, own.followed.get(key)
            if followed is None:
                if key not in self._shared:
                    continue
                holder, followed = self._shared[key]
            hosts, times = self._looked_at(of_it) if followed.operation else ([], [])
            wanted = self._counted_for(holder, followed, hosts)
            if wanted:
                found.append((wanted, of_it, times, bool(followed.shared)))
        return self._entries(found)

    def _counted_for(self, holder: Known, followed: Followed, hosts: list[str]) -> list[Series]:
        if followed.shared:
            there = self._shared_by_name.get(followed.shared)
            return [Series("shared", str(there[0]), there[1], there[0])] if there else []
        of = f"{holder.id}/{followed.key}"
        name = followed.name or followed.operation
        wanted = [Series("step", of, name, holder.id, followed.operation)]
        if followed.operation:
            wanted.append(Series("operation", followed.operation, followed.operation))
        if hosts:
            wanted.append(Series("host", hosts[0], hosts[0]))
        return wanted

    def _looked_at(self, steps: list[Step]) -> tuple[list[str], list[Times]]:
        """The hosts that were asked, and the phases, of a few spread evenly."""
        hosts, times = [], []
        for step in steps[:: -(-len(steps) // LOOKED_AT)]:
            seen = evidence.step_by_id(self._evidence, step.id)
            if seen is not None and seen.exchanges:
                last = seen.exchanges[-1]
                hosts.append(urlsplit(last.address).netloc.rpartition("@")[2])
                if last.status:
                    times.append(last.times)
        return [host for host in hosts if host], times

    def _entries(self, found: list[tuple[list[Series], list[Step], list[Times], bool]]) -> Entries:
        every = {(one.kind, one.of): one for wanted, *_ in found for one in wanted}
        number = series.numbers(self._history, self._run.project, every.values())
        rows: list[tuple[int, int, bool, bool, int]] = []
        times: dict[int, list[Times]] = defaultdict(list)
        for wanted, steps, looked_at, is_whole in found:
            mine = [number[one.kind, one.of] for one in wanted]
            for id in mine:
                times[id] += looked_at
            for step in steps:
                good = step.verdict in _TIMED
                timed = good if is_whole else good or step.status > 0
                bad = step.verdict in ("failed", "blocked")
                rows += [(id, step.us, timed, bad, step.size) for id in mine]
        phases = {id: phases_of(some) for id, some in times.items()}
        at = self._run.asked_at // SECOND_US
        return step_entries(Taken.of(rows), self._run.id, at, phases)


# ---- what became slower, or quicker


def look(main: sqlite3.Connection, history: sqlite3.Connection, reader: Reader, now: int) -> int:
    """Through what has run since it was looked through last, up to a moment (seconds, UTC); at how
    many environments."""
    wanted = reader.new if reader.new is not None else set(entries.places(history))
    reader.new = set()
    zones = {one.id: project_zone(one.document) for one in projects.projects(main)}
    for project, environment in sorted(wanted):
        if project in zones:
            _look_for_changes(history, project, environment, now)
            _look_for_chance(history, project, environment, zones[project], now)
    return len(wanted)


def _look_for_changes(
    history: sqlite3.Connection, project: int, environment: str, now: int
) -> None:
    followed = sorted(series.of_project(history, project))
    stretch = (now - LOOKED_BACK_S, now + 1)

    def blocks() -> Iterator[Entries]:
        return entries.blocks(history, project, environment, *stretch, followed)

    rule = rule_for(sum(map(of_enough, blocks())))
    before = looks.looks(history, project, environment)
    for steps in blocks():
        seen: dict[int, Look] = {}
        for id, mine in by_series(steps):
            last, held = int(mine["at"][-1]), before.get(id)
            if held is not None and held.until >= last:
                continue
            lately = int(mine["sum"][mine["at"] >= now - MONTH_S].sum())
            known_before = held.found if held is not None else []
            found = as_found(known_before, moved_in(mine, rule), mine, now)
            seen[id] = Look(last, lately, found)
        looks.note(history, project, environment, seen)


def _look_for_chance(
    history: sqlite3.Connection, project: int, environment: str, zone: tzinfo, now: int
) -> None:
    begin, end = now - LOOKED_BACK_S, now + 1
    cases = entries.entries(history, project, "case", environment, begin, end)
    summed = entries.runs_between(history, project, begin, end)
    builds = {id: run.build for id, run in summed.items()}
    runners = {id: run.runner for id, run in summed.items() if run.runner}
    until = int(cases["at"].max()) if len(cases) else now
    trusts.note(history, project, environment, until, trust(cases, builds, runners, zone))
