"""One case of a run: what stands around its rows, and its rows, each a walk of its own. A case
without rows is one row."""

from __future__ import annotations

import logging
import time
from collections.abc import Mapping
from datetime import UTC, datetime
from typing import Any

from msgspec.structs import replace

from saltpath.core.cases.case import Part
from saltpath.core.cases.options import Options
from saltpath.core.cases.row_sources import DatabaseRows, Row
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.running.compiled import CompiledCase
from saltpath.core.running.events import CaseFinished, CaseStarted, RowFinished, RowStarted
from saltpath.core.running.inherited import options_of, scope_of, scope_of_suite
from saltpath.core.running.supplies import NOTHING_KEPT, Kept, Resume
from saltpath.core.running.totals import Planned, RowsTotal, case_outcome
from saltpath.core.values.moments import zone_of
from saltpath.core.values.plain import masking, with_whole_texts
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy, Why
from saltpath.engine.cookies import Jar
from saltpath.engine.judging import masked_fault
from saltpath.engine.looking_up import rows_of_database
from saltpath.engine.masking import Masker
from saltpath.engine.rows import Feed, rows_of
from saltpath.engine.session import Session
from saltpath.engine.walk import OfRun, Walk, since

log = logging.getLogger("saltpath.engine")


class CaseWalk:
    """One case's way. `begin` carries out `once` and, where there are no rows, everything; else
    `feed` is there, and `one_row` is called, also by several at once, until it gives False; then
    `end`."""

    def __init__(self, of_run: OfRun, planned: CompiledCase, index: int) -> None:
        self._of_run, self._planned, self.index = of_run, planned, index
        self._begun = time.monotonic_ns()
        self._masker = Masker()
        self._session = self._new_session()
        self._options: Options = options_of(of_run.plan.project, planned.suite, planned.case)
        recorded = None if planned.begun is None else of_run.supplies.recorded(index, 0)
        self._before: Resume | None = recorded
        """What was recorded around its rows, where another runner had begun it."""
        self._around = self._walk(0, self._session, recorded)
        self._sum = RowsTotal()
        self._handed_out = 0
        self._rows: int | None = None  # how many rows there are, once all were read
        self.feed: Feed | None = None
        self.under_way = 0
        self.verdict: Verdict = "skipped"
        self.reason: MaskedWhy | None = None
        self.fault: Exception | None = None
        """What went wrong with its rows that only Salt Path itself can be blamed for."""

    async def begin(self) -> None:
        """A case not begun when the run is stopped is skipped without a trace of steps."""
        emit, now_us, case, planned = (
            self._of_run.emit,
            self._of_run.now_us,
            self._planned.case,
            self._planned,
        )
        emit(CaseStarted(now_us(), self.index))
        masking.set(self._masker.text)
        if self._of_run.stop.requested and self._before is None:
            self._finish(Planned(begun=False, stopped_by=self._of_run.stop.by))
            return
        if planned.problem is not None:
            self._finish(
                Planned(has_rows=case.rows is not None, rows=None, problem=planned.problem)
            )
            return
        if self._before is not None:
            self._restore(self._before.kept)
        if case.once and planned.only is None:
            await self._begin_part(0, "once", self._before)
            await self._around.part("once")
            await self._keep_session()
        if case.rows is None:
            await self._only_row()
            await self.end()
        elif planned.no_source is not None:
            await self.end(planned.no_source)
        elif self._around.total.bad is not None or self._of_run.stop.requested:
            await self.end()
        else:
            table = planned.source.reads_table() if planned.source else ""
            if table:
                await self._of_run.order.written(table, self.index)
            self.feed = self._open()

    async def _begin_part(self, row: int, part: Part, resume: Resume | None) -> None:
        """Have it recorded that steps of a part may be sent from now on, before any is; unless it
        was."""
        if self._planned.case.part(part) and (resume is None or part not in resume.begun):
            await self._of_run.supplies.begin_part(self.index, row, part)

    async def _keep_session(self) -> None:
        """Have what `once` left recorded, for whoever goes on with the rows."""
        if self._around.total.bad is None and self._before is None:
            kept = self._session.scopes.by_name["kept"]
            cookies = self._session.jar.given_away()
            await self._of_run.supplies.keep_session(
                self.index, Kept(dict(kept.values), frozenset(kept.secret), cookies)
            )

    def handed(self) -> Kept:
        """What it hands down to the others of its suite: what it has kept, if it sets that up."""
        if self._planned.role != "set up":
            return NOTHING_KEPT
        kept = self._session.scopes.by_name["kept"]
        return Kept(dict(kept.values), frozenset(kept.secret))

    def _restore(self, kept: Kept) -> None:
        for name, value in kept.values.items():
            self._session.scopes.keep(name, value, secret=name in kept.secret)
        self._session.jar.take_over(kept.cookies)

    def _open(self) -> Feed:
        plan, planned, index = self._of_run.plan, self._planned, self.index
        assert planned.source is not None
        from saltpath.core.format.row_kinds import Given  # for cases with rows

        scopes, of_run, options = self._session.scopes, self._of_run, self._options

        def ask(source: DatabaseRows) -> list[dict[str, Any]]:
            return rows_of_database(source, scopes, plan.project, of_run.databases, options)

        given = Given(scopes, of_run.supplies, ask, plan.destination(planned).name)
        rows = rows_of(planned.source, planned.pick, given)

        async def begin(row: int) -> None:
            if row > (planned.begun or 0):
                await of_run.supplies.begin_rows(index, row)

        return Feed(rows, plan.jobs, begin)

    async def one_row(self) -> bool:
        """Carry out the next row; False if there is none, or the run is to stop."""
        begun, supplies = self._planned.begun or 0, self._of_run.supplies
        row = await self._next_row()
        while row is not None and row.number <= begun:
            ended = supplies.ended(self.index, row.number)
            if ended is None:
                break
            self._sum.add(row.number, *ended)
            row = await self._next_row()
        if row is None:
            return False
        if row.number > begun and self._of_run.stop.requested:
            return False
        resume = None
        if row.number <= begun:
            resume = supplies.recorded(self.index, row.number)
            # rows are said to begin several at once, and their steps with them
            resume = replace(resume, begun=resume.begun | {"steps"})
        await self._row(row, resume)
        return True

    async def _next_row(self) -> Row | None:
        assert self.feed is not None
        row = await self.feed.next()
        if row is not None:
            self._handed_out += 1
        elif self.feed.problem is None:
            self._rows = self._handed_out
        return row

    async def _row(self, row: Row, resume: Resume | None) -> None:
        """One row of several, with a copy of what was kept and of the cookies that there are before
        all rows."""
        of_run, before = self._of_run, self._session
        begun = time.monotonic_ns()
        of_run.emit(RowStarted(of_run.now_us(), self.index, row.number))
        masker = before.masker.copy()
        masking.set(masker.text)
        scopes = before.scopes.for_row(row.number, row.values)
        scopes.on_secret = masker.add
        for name, value in resume.kept.values.items() if resume else ():
            scopes.keep(name, value)
        walk = self._walk(
            row.number, replace(before, scopes=scopes, masker=masker, jar=before.jar.copy()), resume
        )
        if row.why is not None and resume is None:
            verdict: Verdict = "blocked"
            reason = masker.why(row.why)
        else:
            verdict, reason = await self._steps_of(walk, resume)
        data: Mapping[str, Any] = masker.value(with_whole_texts(row.values))
        of_run.emit(
            RowFinished(
                of_run.now_us(), self.index, row.number, verdict, reason, since(begun), data
            )
        )
        self._sum.add(row.number, verdict, reason)

    async def _only_row(self) -> None:
        """The one row that a case without rows has. A bad `once` skips it, its cleaning up too."""
        of_run, once = self._of_run, self._around.total.bad
        of_run.emit(RowStarted(of_run.now_us(), self.index, 1))
        resume = None if self._before is None else of_run.supplies.recorded(self.index, 1)
        for name, value in resume.kept.values.items() if resume else ():
            self._session.scopes.keep(name, value)
        walk = self._walk(1, self._session, resume)
        walk.before = once
        if once is None:
            # rows are said to begin before they are handed out
            await self._begin_part(1, "steps", resume)
        verdict, reason = await self._steps_of(walk, resume)
        of_run.emit(
            RowFinished(of_run.now_us(), self.index, 1, verdict, reason, since(self._begun))
        )
        self._sum.add(1, verdict, reason)

    async def _steps_of(
        self, walk: Walk, resume: Resume | None
    ) -> tuple[Verdict, MaskedWhy | None]:
        """The verdict of a row, and the reason of its first bad step."""
        await walk.part("steps")
        if walk.before is not None:
            return "skipped", None
        if self._planned.case.afterwards and self._planned.only is None:
            await self._begin_part(walk.row, "afterwards", resume)
        await walk.part("afterwards")
        return walk.total.verdict(), walk.total.why

    async def end(self, problem: Why | None = None) -> None:
        """What stands after all rows. `problem`: why there are none, or why they end."""
        case, around = self._planned.case, self._around.total
        masking.set(self._masker.text)
        if self._planned.role == "set up":
            await self._of_run.supplies.keep_session(self.index, self.handed())
        if self.feed is not None:
            self.feed.close()
            problem = problem or (self.feed.problem.reason if self.feed.problem else None)
        if self.fault is not None:
            log.error(
                "a fault of Salt Path's own in the rows of %s", case.name, exc_info=self.fault
            )
            problem = masked_fault(self.fault, self._masker)
        once_bad = around.bad is not None
        if case.at_the_end and self._planned.only is None:
            await self._begin_part(0, "at the end", self._before)
            await self._around.part("at the end")
        self._finish(self._what_was_planned(problem, once_bad))

    def _what_was_planned(self, problem: Why | None, once_bad: bool) -> Planned:
        case, only, has_rows = (
            self._planned.case,
            self._planned.only,
            self._planned.case.rows is not None,
        )
        steps = len(case.steps) + (0 if once_bad else len(case.afterwards))
        around = len(case.once) + len(case.at_the_end) if only is None else 0
        return Planned(
            has_rows=has_rows,
            rows=self._rows if has_rows else 1,
            steps=steps if only is None else len(only),
            around=around,
            problem=self._masker.why(problem),
            stopped_by=self._of_run.stop.by,
        )

    def give_up(self, problem: Exception) -> None:
        """End the case here: something went wrong that only Salt Path itself can be blamed for."""
        if self.feed is not None:
            self.feed.close()
        reason = masked_fault(problem, self._masker)
        self._finish(
            Planned(has_rows=self._planned.case.rows is not None, rows=None, problem=reason)
        )

    def _finish(self, planned: Planned) -> None:
        self.verdict, reason = case_outcome(planned, self._around.total, self._sum)
        self.reason = reason
        self._of_run.order.ended(self.index)
        us = since(self._begun)
        self._of_run.emit(
            CaseFinished(self._of_run.now_us(), self.index, self.verdict, reason, us, planned)
        )

    # ---- what surrounds the steps

    def _walk(self, row: int, session: Session, resume: Resume | None = None) -> Walk:
        return Walk(
            self._of_run, self._planned, self.index, row, session, self._options, resume=resume
        )

    def _new_session(self) -> Session:
        of_run = self._of_run

        async def pause(seconds: float) -> bool:
            return await of_run.stop.sleep(seconds)

        return Session(
            of_run.client,
            self._scopes(),
            self._masker,
            Jar(),
            of_run.tokens,
            of_run.helper,
            of_run.now_us,
            pause,
        )

    def _scopes(self) -> Scopes:
        plan, case, suite = self._of_run.plan, self._planned.case, self._planned.suite
        to = plan.destination(self._planned)
        over = to.environment.values if to.environment else None
        project = scope_of(plan.project.values, over, to.secrets)
        suite_scope = scope_of_suite(suite, to.name, to.secrets, self._of_run.handed)
        case_scope = scope_of(case.values, None, to.secrets)
        secret_names = project.secret | suite_scope.secret | case_scope.secret
        run = Scope(dict(plan.values), {name for name in plan.values if name in secret_names})
        scopes = Scopes(project, suite_scope, case_scope, run=run, on_secret=self._masker.add)
        for scope in (project, suite_scope, case_scope, run):
            for name in scope.secret:
                self._masker.add(scope.values.get(name))
        for name, value in self._planned.given.items():
            scopes.keep(name, value)
        start = datetime.fromtimestamp(plan.started_us / 1e6, UTC).isoformat(
            timespec="milliseconds"
        )
        scopes.built_in = {
            "row.number": 1,
            "run.number": plan.number,
            "run.seed": plan.seed,
            "run.start": start.replace("+00:00", "Z"),
            "run.environment": to.name,
            "case.name": case.name,
        }
        scopes.zone = zone_of(plan.project.zone)
        scopes.clock_us = self._of_run.now_us
        scopes.now_us = plan.started_us
        scopes.seeded = (plan.seed, case.key or f"{self._planned.file} {case.name}", 1)
        scopes.read_file = self._of_run.supplies.read_file
        return scopes
