"""One case of a run: what stands around its rows, and its rows, each a walk of its own. A case without rows is one row."""

from __future__ import annotations

import time
from collections import Counter
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from saltpath.core.events import CaseFinished, CaseStarted, RowFinished, RowStarted
from saltpath.core.moments import zone_of
from saltpath.core.options import Options
from saltpath.core.plan import PlannedCase, Resume, options_of, scope_of, scope_of_suite
from saltpath.core.scopes import Scope, Scopes
from saltpath.core.tables.sources import DatabaseRows, OutputRows, Row
from saltpath.core.verdicts import Verdict, worst
from saltpath.core.why import Why, why
from saltpath.engine.cookies import Jar
from saltpath.engine.looking_up import rows_of_database
from saltpath.engine.masking import Masker
from saltpath.engine.rows import Feed, rows_of
from saltpath.engine.session import Session
from saltpath.engine.walk import OfRun, Walk, since

_BAD = {"failed": "failed", "blocked": "were blocked"}


@dataclass(slots=True)
class RowSum:
    """What the rows of a case add up to: how many of each verdict, and the first of each with its reason."""

    counts: Counter[Verdict] = field(default_factory=Counter)
    first: dict[Verdict, tuple[int, Why | None]] = field(default_factory=dict)

    def add(self, row: int, verdict: Verdict, reason: Why | None) -> None:
        self.counts[verdict] += 1
        if verdict not in self.first or row < self.first[verdict][0]:
            self.first[verdict] = (row, reason)

    @property
    def verdict(self) -> Verdict:
        return worst(self.counts)

    @property
    def why(self) -> Why | None:
        """Of the worst verdict how many rows, and the first of them."""
        verdict = self.verdict
        if verdict not in _BAD:
            return None
        row, reason = self.first[verdict]
        rows = sum(self.counts.values())
        code = "rows-bad-one" if rows == 1 else "rows-bad"
        problem = reason.sentence if reason else ""
        said = "was blocked" if rows == 1 and verdict == "blocked" else _BAD[verdict]
        return why(code, bad=self.counts[verdict], rows=rows, verdict=said, row=row, problem=problem)


class CaseWalk:
    """One case's way. `begin` carries out `once` and, where there are no rows, everything; else `feed` is there, and `one_row` is called,
    also by several at once, until it gives False; then `end`."""

    def __init__(self, of_run: OfRun, planned: PlannedCase, index: int) -> None:
        self._of_run, self._planned, self._index = of_run, planned, index
        self._begun = time.monotonic_ns()
        self._masker = Masker()
        self._session = self._new_session()
        self._options: Options = options_of(of_run.plan, planned)
        self._around = self._walk(0, self._session)
        self._sum = RowSum()
        self.feed: Feed | None = None
        self.under_way = 0
        self.verdict: Verdict = "skipped"

    async def begin(self) -> None:
        """A case not begun when the run is stopped is skipped without a trace of steps."""
        emit, now_us, case, planned = self._of_run.emit, self._of_run.now_us, self._planned.case, self._planned
        emit(CaseStarted(now_us(), self._index))
        if self._of_run.stop.requested and planned.resume is None and planned.resumed is None:
            self._finish("skipped", why("stopped", by=self._of_run.stop.by))
            return
        if case.once and planned.only is None and planned.resume is None:
            await self._around.part("once")
        if case.rows is None:
            await self._only_row()
            await self.end()
        elif planned.no_source is not None:
            await self.end(planned.no_source)
        elif self._around.total.bad is not None or self._of_run.stop.requested:
            await self.end()
        else:
            if isinstance(planned.source, OutputRows):
                await self._of_run.order.written(planned.source.table, self._index)
            self.feed = self._open()

    def _open(self) -> Feed:
        plan, planned, index = self._of_run.plan, self._planned, self._index
        assert planned.source is not None
        scopes, of_run, options = self._session.scopes, self._of_run, self._options

        def ask(source: DatabaseRows) -> list[dict[str, Any]]:
            return rows_of_database(source, scopes, plan.project, of_run.databases, options)

        rows = rows_of(planned.source, planned.pick, scopes, plan.read_rows, plan.read_output, ask)
        claim = plan.begin_rows
        if claim is None:
            return Feed(rows, plan.jobs, None)
        before = planned.resumed.begun if planned.resumed else 0

        async def begin(row: int) -> None:
            if row > before:
                await claim(index, row)

        return Feed(rows, plan.jobs, begin)

    async def one_row(self) -> bool:
        """Carry out the next row; False if there is none, or the run is to stop."""
        feed, resumed = self.feed, self._planned.resumed
        assert feed is not None
        row = await feed.next()
        while row is not None and resumed is not None and row.number <= resumed.begun:
            ended = resumed.finished(row.number)
            if ended is None:
                break
            self._sum.add(row.number, *ended)
            row = await feed.next()
        if row is None:
            return False
        interrupted = resumed is not None and row.number <= resumed.begun
        if self._of_run.stop.requested and not interrupted:
            return False
        await self._row(row, resumed.row(row.number) if interrupted and resumed else None)
        return True

    async def _row(self, row: Row, resume: Resume | None) -> None:
        """One row of several, with a copy of what was kept and of the cookies that there are before all rows."""
        of_run, before = self._of_run, self._session
        begun = time.monotonic_ns()
        of_run.emit(RowStarted(of_run.now_us(), self._index, row.number))
        masker = before.masker.copy()
        scopes = before.scopes.for_row(row.number, row.values)
        scopes.on_secret = masker.add
        for name, value in resume.kept.items() if resume else ():
            scopes.keep(name, value)
        walk = self._walk(row.number, replace(before, scopes=scopes, masker=masker, jar=before.jar.copy()), resume)
        if row.why is not None and resume is None:
            verdict: Verdict = "blocked"
            reason: Why | None = row.why
        else:
            verdict, reason = await self._steps_of(walk, resume)
        data: Mapping[str, Any] = masker.value(row.values)
        reason = masker.why(reason)
        of_run.emit(RowFinished(of_run.now_us(), self._index, row.number, verdict, reason, since(begun), data))
        self._sum.add(row.number, verdict, reason)

    async def _only_row(self) -> None:
        """The one row that a case without rows has. A bad `once` skips it, its cleaning up too."""
        of_run, once = self._of_run, self._around.total.bad
        of_run.emit(RowStarted(of_run.now_us(), self._index, 1))
        walk = self._walk(1, self._session, self._planned.resume)
        walk.before = once
        verdict, reason = await self._steps_of(walk, self._planned.resume)
        of_run.emit(RowFinished(of_run.now_us(), self._index, 1, verdict, reason, since(self._begun)))
        self._sum.add(1, verdict, reason)

    async def _steps_of(self, walk: Walk, resume: Resume | None) -> tuple[Verdict, Why | None]:
        """The verdict of a row, and the reason of its first bad step."""
        if resume is not None:
            walk.after_interruption(resume)
        else:
            await walk.part("steps")
        if walk.before is not None:
            return "skipped", None
        await walk.part("afterwards")
        bad = walk.total.bad
        return walk.total.verdict(), bad.why if bad else None

    async def end(self, problem: Why | None = None) -> None:
        """What stands after all rows. `problem`: why there are none, or why they end."""
        case, around = self._planned.case, self._around.total
        if self.feed is not None:
            self.feed.close()
            problem = problem or (self.feed.problem.reason if self.feed.problem else None)
        once_bad = around.bad
        if case.at_the_end and self._planned.only is None:
            await self._around.part("at the end")
        counted = [*around.counted, *self._sum.counts, *(["blocked"] if problem else [])]
        verdict = worst(counted)  # type: ignore[arg-type]
        reason = self._sum.why if case.rows is not None else self._sum.first.get(self._sum.verdict, (0, None))[1]
        if problem is not None and verdict == "blocked":
            reason = self._masker.why(problem)
        if around.bad is not None and verdict == around.bad.verdict:
            reason = around.bad.why
        if reason is None and self._of_run.stop.requested and verdict == "skipped" and once_bad is None:
            reason = why("stopped", by=self._of_run.stop.by)
        self._finish(verdict, reason)

    def _finish(self, verdict: Verdict, reason: Why | None) -> None:
        self.verdict = verdict
        self._of_run.order.ended(self._index)
        self._of_run.emit(CaseFinished(self._of_run.now_us(), self._index, verdict, reason, since(self._begun)))

    # ---- what surrounds the steps

    def _walk(self, row: int, session: Session, resume: Resume | None = None) -> Walk:
        return Walk(self._of_run, self._planned, self._index, row, session, self._options, resume=resume)

    def _new_session(self) -> Session:
        of_run = self._of_run

        async def pause(seconds: float) -> bool:
            return await of_run.stop.sleep(seconds)

        return Session(
            of_run.client, self._scopes(), self._masker, Jar(), of_run.tokens, of_run.helper, of_run.now_us, pause
        )

    def _scopes(self) -> Scopes:
        plan, case, suite = self._of_run.plan, self._planned.case, self._planned.suite
        over = plan.environment.values if plan.environment else None
        project = scope_of(plan.project.values, over, plan.secrets)
        there = plan.environment.name if plan.environment else ""
        sealed = {**plan.secrets, **self._planned.secrets}
        suite_scope = scope_of_suite(suite, there, sealed) if suite else Scope()
        case_scope = scope_of(case.values, None, plan.secrets)
        secret_names = project.secret | suite_scope.secret | case_scope.secret
        run = Scope(dict(plan.values), {name for name in plan.values if name in secret_names})
        scopes = Scopes(project, suite_scope, case_scope, run=run, on_secret=self._masker.add)
        for scope in (project, suite_scope, case_scope, run):
            for name in scope.secret:
                self._masker.add(scope.values.get(name))
        kept = self._planned.resume.kept if self._planned.resume else self._planned.given
        for name, value in kept.items():
            scopes.keep(name, value)
        start = datetime.fromtimestamp(plan.started_us / 1e6, UTC).isoformat(timespec="milliseconds")
        scopes.built_in = {
            "row.number": 1,
            "run.number": plan.number,
            "run.seed": plan.seed,
            "run.start": start.replace("+00:00", "Z"),
            "run.environment": plan.environment.name if plan.environment else "",
            "case.name": case.name,
        }
        scopes.zone = zone_of(plan.project.zone)
        scopes.clock_us = self._of_run.now_us
        scopes.now_us = plan.started_us
        scopes.seeded = (plan.seed, case.key or f"{self._planned.file} {case.name}", 1)
        scopes.read_file = plan.read_file
        return scopes
