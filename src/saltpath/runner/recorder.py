"""The runner's end of the wire: a consumer of events that hands them to the writer and knows what
was recorded.

Sending and reading acknowledgements happen in threads of their own. If the writer is gone, the
recorder connects again and sends what was not acknowledged. When 20,000 messages wait, the engine
waits too.
"""

from __future__ import annotations

import asyncio
import socket
import threading
import time
from collections import deque
from collections.abc import Callable, Sequence
from functools import partial
from pathlib import Path
from typing import Any

from saltpath.core.cases.case import Case
from saltpath.core.running.causes import FailureFinder
from saltpath.core.running.events import (
    CaseFinished,
    CaseStarted,
    Event,
    RowFinished,
    RunFinished,
    RunStarted,
    StepFinished,
    StepStarted,
)
from saltpath.core.running.totals import Planned
from saltpath.runner.wire import SOCKET, Message, pack, read_acknowledgement
from saltpath.store import run_rows
from saltpath.store.step_rows import row_of

MOST_WAITING = 20_000
GATHER_S = 0.002
"""So long a message waits for others to be sent with: to be woken for each would take turns with
the engine a thousand times a second."""


class Recorder:
    """One per runner. `begin` names the run; `take` consumes its events; `settled` waits until all
    is recorded. `refused`: the writer has refused what came, since another runner goes on with the
    run; then nothing more is sent of it."""

    def __init__(self, folder: Path, beat: Callable[[], None] = lambda: None) -> None:
        self._path = str(folder / SOCKET)
        self._changed = threading.Condition()  # its lock may be taken again by who holds it
        self._unsent: deque[tuple[int, bytes]] = deque()
        self._sent: deque[tuple[int, bytes]] = deque()
        self._number = 0
        self._acknowledged = 0
        self._project = self._run = self._epoch = 0
        self._beat = beat
        self.refused = False
        self._positions: list[int] = []
        self._failures = FailureFinder(())
        self._with_rows: frozenset[int] = frozenset()
        self._waiting: deque[tuple[int, Callable[[], object]]] = deque()
        self._step_events = True
        self._closed = False
        threading.Thread(target=self._keep_sending, name="recorder", daemon=True).start()

    def begin(
        self,
        project: int,
        run: int,
        epoch: int,
        positions: list[int],
        cases: Sequence[Case] = (),
    ) -> None:
        """The events that follow belong to this run, as its job is held under this epoch;
        `positions` maps the plan's case indexes to the run's, `cases` are the plan's, with their
        shared steps in their places."""
        self._project, self._run, self._epoch = project, run, epoch
        self._positions, self._failures, self.refused = positions, FailureFinder(cases), False
        self._with_rows = frozenset(at for at, case in enumerate(cases) if case.rows is not None)
        self._step_events = len(positions) <= 50

    def take(self, event: Event) -> None:
        """Consume one event."""
        message = self._message(event)
        if message is not None:
            self._hand_over(message)

    async def rows_begin(self, case: int, row: int) -> None:
        """Say that rows up to this one are about to begin; returns when it is recorded."""
        await self._recorded("rows-begun", case, {"row": row})

    async def part_begins(self, case: int, row: int, part: str) -> None:
        """Say that steps of a part of a row, or (0) around the rows, may be sent from now on;
        returns when it is recorded."""
        await self._recorded("part-begun", case, {"row": row, "part": part})

    async def keep_session(self, case: int, sealed: str) -> None:
        """What a case's `once` left, sealed; returns when it is recorded."""
        await self._recorded("session", case, {"sealed": sealed})

    def _recorded(self, kind: str, case: int, facts: dict[str, object]) -> asyncio.Future[None]:
        """Hand a message over; what it gives is done once the writer has recorded it."""
        loop = asyncio.get_running_loop()
        done: asyncio.Future[None] = loop.create_future()
        message = Message(0, self._project, self._run, kind, 0, self._positions[case], None, facts)
        with self._changed:
            # else it is never done: this runner has nothing more to do with the run
            if not self.refused:
                self._waiting.append(
                    (self._hand_over(message), lambda: loop.call_soon_threadsafe(_settle, done))
                )
        return done

    def _hand_over(self, message: Message) -> int:
        with self._changed:
            while len(self._unsent) + len(self._sent) >= MOST_WAITING:
                self._beat()  # it waits for the writer, and does not hang
                self._changed.wait(1)
            if self.refused:
                return self._acknowledged
            self._number += 1
            message.number, message.epoch = self._number, self._epoch
            self._unsent.append((self._number, pack(message)))
            if len(self._unsent) == 1:  # else nobody sleeps who would have to know
                self._changed.notify_all()
            return self._number

    def _message(self, event: Event) -> Message | None:
        if isinstance(event, RunStarted):
            return self._about(event.at, "started", 0)
        if isinstance(event, RunFinished):
            return self._about(event.at, "finished", 0, facts={"stopped_by": event.stopped_by})
        position = self._positions[event.case]
        about = partial(self._about, event.at, position=position)
        of_row = event.case in self._with_rows and bool(getattr(event, "row", 0))
        if isinstance(event, StepFinished):
            row, failure = row_of(event, position), self._failures.find(event)
            said = {"build": event.build} if event.build else None
            return about("step", step=row, quiet=of_row, failure=failure, facts=said)
        if isinstance(event, RowFinished):
            failure = self._failures.find(event)
            if event.case not in self._with_rows:
                return None
            return about("row", row=run_rows.row_of(event, position), failure=failure)
        if isinstance(event, StepStarted):
            if not self._step_events or of_row:
                return None
            facts = {"part": event.part, "step": event.step, "inner": event.inner}
            return about("step-started", facts=facts)
        if isinstance(event, CaseStarted):
            return about("case-started")
        if isinstance(event, CaseFinished):
            why = event.why.to_json() if event.why else None
            ended = {
                "verdict": event.verdict,
                "why": _plain(why),
                "us": event.us,
                "planned": _planned(event.planned),
            }
            return about("case-finished", facts=ended, failure=self._failures.find(event))
        return None

    def _about(self, at: int, kind: str, position: int, **more: Any) -> Message:
        return Message(0, self._project, self._run, kind, at, position, **more)

    def settled(self, timeout: float) -> bool:
        """Wait until everything taken so far is recorded; False when the time is up first."""
        end = time.monotonic() + timeout
        with self._changed:
            while self._acknowledged < self._number:
                left = end - time.monotonic()
                if left <= 0:
                    return False
                self._changed.wait(left)
        return True

    def close(self) -> None:
        with self._changed:
            self._closed = True
            self._changed.notify_all()

    def _keep_sending(self) -> None:
        while not self._closed:
            try:
                connection = socket.socket(socket.AF_UNIX, socket.SOCK_STREAM)
                connection.connect(self._path)
            except OSError:
                time.sleep(0.05)
                continue
            with self._changed:
                self._unsent.extendleft(reversed(self._sent))
                self._sent.clear()
            reader = threading.Thread(target=self._read, args=(connection,), daemon=True)
            reader.start()
            self._send(connection, reader)
            connection.close()

    def _send(self, connection: socket.socket, reader: threading.Thread) -> None:
        while not self._closed and reader.is_alive():
            with self._changed:
                if not self._unsent:
                    self._changed.wait(0.2)
            if not self._waiting:
                time.sleep(GATHER_S)
            with self._changed:
                batch = list(self._unsent)
                self._unsent.clear()
                self._sent.extend(batch)
            try:
                if batch:
                    connection.sendall(b"".join(data for _, data in batch))
            except OSError:
                return

    def _read(self, connection: socket.socket) -> None:
        try:
            while (read := read_acknowledgement(connection)) is not None:
                number, refused = read
                with self._changed:
                    self.refused = self.refused or refused
                    self._acknowledged = max(self._acknowledged, number)
                    while self._sent and self._sent[0][0] <= number:
                        self._sent.popleft()
                    while self._waiting and self._waiting[0][0] <= number and not self.refused:
                        self._waiting.popleft()[1]()
                    self._changed.notify_all()
        except OSError:
            pass


def _settle(recorded: asyncio.Future[None]) -> None:
    if not recorded.done():
        recorded.set_result(None)


def _planned(planned: Planned) -> dict[str, object]:
    """What `totals.Planned` says, as msgpack can carry it."""
    fields = {name: getattr(planned, name) for name in planned.__struct_fields__}
    return {**fields, "problem": _plain(planned.problem.to_json() if planned.problem else None)}


def _plain(why: dict[str, object] | None) -> object:
    """A reason whose parameters msgpack can carry: exact numbers become text, which is how they are
    shown."""
    if why is None:
        return None
    params = why["params"]
    assert isinstance(params, dict)
    return {
        "code": why["code"],
        "params": {k: v if isinstance(v, (str, int)) else str(v) for k, v in params.items()},
    }
