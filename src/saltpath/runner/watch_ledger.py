"""The watcher's side of the store, in a thread of its own: which watches there are, claims, and
runs written down in batches, each batch one transaction."""

from __future__ import annotations

import hashlib
import logging
from pathlib import Path
from typing import Any

from msgspec import Struct, json

from saltpath.core.format.nodes import FormatError
from saltpath.core.format.watch_reader import read_watch
from saltpath.core.watching.schedule import Schedule
from saltpath.core.watching.states import Rule
from saltpath.core.watching.watch import Watch
from saltpath.store import disk, projects, watches
from saltpath.store.database import connect, now_us, write
from saltpath.store.documents import Document
from saltpath.store.events import add_event
from saltpath.store.history import bounds, runs, seen
from saltpath.store.history.runs import Claim, Ended, Standing
from saltpath.store.step_rows import StepRow

log = logging.getLogger("saltpath.watcher")


class Active(Struct, frozen=True):
    """A watch that is looked after."""

    stored: Document
    watch: Watch
    schedule: Schedule
    zone: str
    """The project's."""
    standing: Standing


class Result(Struct, frozen=True):
    """A run that has ended, with what its attempts saw, the believed one last."""

    ended: Ended
    attempts: tuple[tuple[StepRow, ...], ...]
    keep: int
    cases: tuple[tuple[str, str], ...] = ()
    """The id and the name of each that it ran."""


class WatchLedger:
    """To be made and called in one thread."""

    def __init__(self, folder: Path, holder: str) -> None:
        self._folder = folder
        self._main = connect(folder, "main")
        self._history = connect(folder, "history")
        runs.leave_the_log(self._history)
        self._packer = seen.WatchPacker()
        self._rules: dict[int, Rule] = {}
        self._seen: tuple[int, ...] = ()
        self.epoch = runs.take_lease(self._history, holder)

    def begin(self, now: int) -> int:
        """What others had begun and not ended is written down as interrupted; how many."""
        return runs.interrupted(self._history, self.epoch, now)

    def active(self, now: int, anyhow: bool = False) -> list[Active] | None:
        """The watches that are looked after from now on; None where nothing has changed since this
        was last asked."""
        stamp = watches.stamp(self._main)
        if stamp == self._seen and not anyhow:
            return None
        found: list[tuple[Document, Watch, Schedule, str]] = []
        zones = {
            one.id: str(one.document.get("zone") or "UTC") for one in projects.projects(self._main)
        }
        for stored in watches.watches(self._main):
            try:
                watch = read_watch(stored.document)
            except FormatError as problem:
                log.error("watch %s cannot be read: %s", stored.oid, problem)
                continue
            if not watch.off and stored.project in zones:
                zone = zones[stored.project]
                found.append((stored, watch, watch.schedule(stored.id, zone), zone))
        standing = runs.look_after(
            self._history,
            self.epoch,
            [(stored.id, stored.project, _digest(schedule)) for stored, _, schedule, _ in found],
            now,
        )
        self._rules = {stored.id: watch.rule for stored, watch, _, _ in found}
        self._seen = stamp
        return [Active(*one, standing[one[0].id]) for one in found]

    def asked(self) -> list[int]:
        return runs.asked(self._history)

    def turn_back(self, now: int) -> None:
        runs.turn_back(self._history, self.epoch, now)

    def claim(
        self,
        claims: list[Claim],
        looked: list[tuple[int, int]],
        fell_out: list[Ended],
        now: int,
    ) -> None:
        runs.claim(self._history, self.epoch, claims, looked, fell_out, now)

    def end(self, results: list[Result]) -> None:
        """Write runs down; where there is no room, without what they saw."""
        results = sorted(results, key=lambda one: (one.ended.due, one.ended.turn))
        low = disk.free(self._folder) < disk.LEAST_FREE or self._is_full()
        try:
            with write(self._history):
                ended = [one.ended for one in results]
                turned = runs.end(self._history, self.epoch, ended, self._rules)
                for one in results if not low else ():
                    key = (one.ended.watch, one.ended.due, one.ended.turn)
                    for attempt, steps in enumerate(one.attempts):
                        self._packer.put(self._history, key, attempt, one.keep, one.cases, steps)
        except BaseException:
            self._packer.forget()
            raise
        if turned:
            self._tell(turned)

    def _is_full(self) -> bool:
        """By what an administrator allows."""
        most = bounds.most(self._main)
        return most is not None and bounds.used(self._history) > most * bounds.FULL

    def _tell(self, turned: list[runs.Turned]) -> None:
        """Pages that look on."""
        with write(self._main):
            for one in turned:
                body: dict[str, Any] = {"kind": one.change.kind, "watch": one.ended.watch}
                add_event(self._main, one.ended.project, None, now_us(), "watch turned", body)


def _digest(schedule: Schedule) -> str:
    """Of when it is due; another one where that was changed."""
    when = json.encode([type(schedule.when).__name__, schedule])
    return hashlib.blake2b(when, digest_size=8).hexdigest()
