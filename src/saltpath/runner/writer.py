"""The writer: takes what runners report, compresses it and commits it in batches, evidence before
the main database.

A batch holds at most 200 steps or 20 ms, with 5 ms between two, so that other writers get their
turn; a claim of rows, for which a runner waits, and a run's end are not kept waiting. A number is
acknowledged only when both files hold it.
"""

from __future__ import annotations

import logging
import selectors
import socket
import sqlite3
import time
from collections import Counter, defaultdict
from pathlib import Path
from typing import Any

from saltpath.core.running.totals import Planned, RowsTotal, StepsTotal, case_outcome
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why
from saltpath.runner.life import ShutdownSignal, holding, parent_gone, woken_by_signals
from saltpath.runner.wire import RELEASE, SOCKET, Message, acknowledge, unpack
from saltpath.store import (
    causes,
    disk,
    events,
    evidence,
    jobs,
    resources,
    run_records,
    run_rows,
    runs,
)
from saltpath.store.database import connect, write
from saltpath.store.packing import Packer
from saltpath.store.run_rows import RowRow
from saltpath.store.step_rows import StepRow

MOST = 200
PERIOD_S = 0.020
PAUSE_S = 0.005
RETRY_S = 0.5
LOOK_S = 2.0
_AWAITED = ("rows-begun", "part-begun", "session", "finished", RELEASE)
_SIGNAL = "signal"
log = logging.getLogger("saltpath.writer")


class Writer:
    """Owns the socket and both databases' recording side."""

    def __init__(self, folder: Path) -> None:
        self._main = connect(folder, "main")
        self._evidence = connect(folder, "evidence")
        self._packer = Packer()
        self._folder, self._looked, self._is_low = folder, float("-inf"), False
        self._buffers: dict[socket.socket, bytearray] = {}
        self._last: dict[socket.socket, int] = {}  # the number that came last
        self._waiting: list[tuple[socket.socket, Message]] = []
        self._awaited = False  # somebody waits for one of these
        self._selector = selectors.DefaultSelector()
        path = folder / SOCKET
        path.unlink(missing_ok=True)
        self._server = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
        self._server.bind(str(path))
        path.chmod(0o600)
        self._server.listen(64)
        self._selector.register(self._server, selectors.EVENT_READ)

    def serve(self) -> None:
        """Until told to end, or until the supervisor is gone. What came before is committed
        first."""
        shutdown = ShutdownSignal()
        self._selector.register(woken_by_signals(), selectors.EVENT_READ, _SIGNAL)
        while not shutdown.is_set() and not parent_gone():
            self._receive(0.5)
            if not self._waiting:
                continue
            end = time.monotonic() + PERIOD_S
            while (
                not self._awaited
                and len(self._waiting) < MOST
                and (left := end - time.monotonic()) > 0
            ):
                self._receive(left)
            self._commit()
            time.sleep(PAUSE_S)
        self._drain()
        self._commit()

    def _drain(self) -> None:
        """Take whatever has come: all that processes which have ended had sent."""
        while self._receive(0):
            pass

    def _receive(self, timeout: float) -> bool:
        """Wait for messages, and take them; False if nothing came."""
        ready = self._selector.select(timeout)
        for key, _ in ready:
            if key.fileobj is self._server:
                connection, _ = self._server.accept()
                self._buffers[connection] = bytearray()
                self._selector.register(connection, selectors.EVENT_READ)
                continue
            connection = key.fileobj  # type: ignore[assignment]
            if key.data is _SIGNAL:
                connection.recv(64)
                continue
            try:
                data = connection.recv(1 << 20)
            except OSError:
                data = b""
            if not data:
                self._let_go(connection)
                continue
            buffer = self._buffers[connection]
            buffer += data
            for message in unpack(buffer):
                if message.number != self._last.get(connection, message.number - 1) + 1:
                    log.error("message %s came out of turn; the runner sends again", message.number)
                    self._let_go(connection)
                    break
                self._last[connection] = message.number
                self._waiting.append((connection, message))
                self._awaited = self._awaited or message.kind in _AWAITED
        return bool(ready)

    def _let_go(self, connection: socket.socket) -> None:
        self._selector.unregister(connection)
        del self._buffers[connection]
        self._last.pop(connection, None)
        connection.close()

    def _commit(self) -> None:
        """Commit what waits. On a full disk or a locked file it is tried again until it is mended;
        nothing is lost."""
        self._awaited = False
        if any(message.kind == RELEASE for _, message in self._waiting):
            self._drain()  # what the runner sent before it ended comes before its release
            self._waiting.sort(key=lambda waiting: waiting[1].kind == RELEASE)
        while self._waiting:
            batch = self._waiting[:MOST]
            try:
                refused = self._record([message for _, message in batch])
            except sqlite3.Error as problem:
                self._packer.forget()
                log.error("cannot record: %s; trying again", problem)
                time.sleep(RETRY_S)
                continue
            del self._waiting[: len(batch)]
            stale = {connection for connection, message in batch if _held_as(message) in refused}
            for connection, number in {
                connection: message.number for connection, message in batch
            }.items():
                try:
                    acknowledge(connection, number, connection in stale)
                except OSError:
                    pass  # the runner is gone; what it reported stands

    def _record(self, reported: list[Message]) -> set[tuple[int, int]]:
        """Record what happened, but what comes under an old epoch; of which runs and epochs that
        is. A job is not taken while it is done: that, too, needs the main database's lock."""
        released = [message.facts["runner"] for message in reported if message.kind == RELEASE]
        reported = [message for message in reported if message.kind != RELEASE]
        with write(self._main):
            known = {_held_as(message) for message in reported}
            refused = {held for held in known if not jobs.held(self._main, *held)}
            self._record_held([message for message in reported if _held_as(message) not in refused])
            for runner in released:
                jobs.release(self._main, runner)
        for run, epoch in refused:
            log.warning(
                "refused what came of run %s under epoch %s: another runner goes on with it",
                run,
                epoch,
            )
        return refused

    def _record_held(self, messages: list[Message]) -> None:
        steps: dict[tuple[int, int], list[StepRow]] = defaultdict(list)
        told: dict[tuple[int, int], list[StepRow]] = defaultdict(list)
        rows: dict[tuple[int, int], list[RowRow]] = defaultdict(list)
        for message in messages:
            if message.step is not None:
                steps[message.project, message.run].append(message.step)
                if not message.quiet:
                    told[message.project, message.run].append(message.step)
            elif message.row is not None:
                rows[message.project, message.run].append(message.row)
        begun = [message for message in messages if message.kind == "part-begun"]
        failed = [message for message in messages if message.failure is not None]
        if steps or rows or begun or failed:
            with write(self._evidence):
                for (project, run), finished in steps.items():
                    self._packer.insert(self._evidence, project, run, finished, bare=self._low())
                    resources.insert(self._evidence, project, run, finished)
                for (project, run), ended in rows.items():
                    run_rows.insert(self._evidence, project, run, ended)
                for message in failed:
                    if message.failure is not None:
                        causes.insert(
                            self._evidence,
                            message.project,
                            message.run,
                            _place(message),
                            message.failure,
                        )
                for message in begun:
                    place = (message.position, message.facts["row"], message.facts["part"])
                    evidence.record_parts_begun(self._evidence, message.run, [place])
        for message in messages:
            if message.step is None and message.row is None:
                self._turn(message)
            elif message.step is not None and message.facts:
                run_records.record_build(self._main, message.run, message.facts["build"])
        for (project, run), finished in told.items():
            for position, number in Counter(row.position for row in finished).items():
                run_records.record_steps(self._main, run, position, number)
            events.add_event(
                self._main,
                project,
                run,
                finished[-1].at,
                "steps finished",
                _progress(self._oid(run), finished),
            )
        for (project, run), ended in rows.items():
            about = {
                "run": self._oid(run),
                "rows": [[row.position, row.verdict] for row in _last_of(ended)],
            }
            events.add_event(self._main, project, run, ended[-1].at, "rows finished", about)

    def _low(self) -> bool:
        """Whether there is too little room to keep what steps see; looked at now and then."""
        now = time.monotonic()
        if now - self._looked > LOOK_S:
            was, self._is_low = self._is_low, disk.free(self._folder) < disk.LEAST_FREE
            self._looked = now
            if self._is_low and not was:
                log.error(
                    "less than %s MB are free: what steps see is not kept",
                    disk.LEAST_FREE // 1_000_000,
                )
        return self._is_low

    def _oid(self, run: int) -> str:
        return runs.run_by_id(self._main, run).oid

    def _turn(self, message: Message) -> None:
        """A run or a case began or ended."""
        facts: dict[str, Any] = message.facts or {}
        if message.kind == "rows-begun":
            run_records.record_rows_begun(self._main, message.run, message.position, facts["row"])
            return
        if message.kind == "session":
            run_records.record_session(self._main, message.run, message.position, facts["sealed"])
            return
        if message.kind == "part-begun":
            return
        event: dict[str, Any] = {"run": self._oid(message.run), "position": message.position}
        if message.kind == "started":
            run_records.record_started(self._main, message.run, message.at)
        elif message.kind == "case-started":
            run_records.record_case_started(self._main, message.run, message.position, message.at)
        elif message.kind == "step-started":
            event |= facts
        elif message.kind == "case-finished":
            verdict, reason = self._outcome(message, facts["planned"])
            why = reason.to_json() if reason else None
            run_records.record_case_finished(
                self._main, message.run, message.position, verdict, why, facts["us"]
            )
            event["verdict"] = verdict
            counts = run_rows.counts(self._evidence, message.run, message.position)
            if counts:
                run_records.record_rows(self._main, message.run, message.position, counts)
        elif message.kind == "finished":
            run_records.record_finished(self._main, message.run, message.at, facts["stopped_by"])
            event["verdict"] = runs.run_by_id(self._main, message.run).verdict
        name = {
            "started": "run started",
            "case-started": "case started",
            "step-started": "step started",
            "case-finished": "case finished",
            "finished": "run finished",
        }[message.kind]
        events.add_event(self._main, message.project, message.run, message.at, name, event)

    def _outcome(self, message: Message, planned: dict[str, Any]) -> tuple[Verdict, Why | None]:
        """A case's verdict from what is recorded of it, held against what was planned."""
        run, position, problem = message.run, message.position, planned["problem"]
        held = Planned(
            **{**planned, "problem": Why(problem["code"], problem["params"]) if problem else None}
        )
        around = StepsTotal()
        for step in evidence.recorded_steps(self._evidence, run, position, 0).values():
            around.add(step)
        if held.has_rows:
            return case_outcome(held, around, run_rows.total(self._evidence, run, position))
        row = StepsTotal()
        for step in evidence.recorded_steps(self._evidence, run, position, 1).values():
            row.add(step)
        rows = RowsTotal()
        if row.number or not held.steps:
            rows.add(1, "skipped" if around.bad is not None else row.verdict(), row.why)
        return case_outcome(held, around, rows, row.number)


def _place(message: Message) -> causes.Place:
    """Where what a message tells of went wrong."""
    if message.step is not None:
        step = message.step
        return causes.Place(message.position, step.row, step.part, step.step, step.inner)
    return causes.Place(message.position, message.row.row if message.row is not None else 0)


def _held_as(message: Message) -> tuple[int, int]:
    """Of which run a message is, and under which epoch it happened."""
    return message.run, message.epoch


def _last_of(rows: list[RowRow]) -> list[RowRow]:
    """One row of each case: that something changed there is all that is told."""
    return list({row.position: row for row in rows}.values())


def _progress(oid: str, rows: list[StepRow]) -> dict[str, Any]:
    return {
        "run": oid,
        "steps": [
            [r.position, r.row, r.part, r.step, r.verdict, r.status, r.us, r.inner] for r in rows
        ],
    }


def main(folder: Path) -> None:
    with holding(folder):
        Writer(folder).serve()
