"""What is due next, of all watches: one heap, and what becomes of each time that comes. No clock
and no store of its own."""

from __future__ import annotations

import heapq
from collections.abc import Iterable

from msgspec import Struct, field

from saltpath.core.watching.flags import CAUGHT_UP, MAINTENANCE, Fate, flag_of
from saltpath.core.watching.schedule import turn
from saltpath.runner.watch_ledger import Active
from saltpath.store.history.runs import SECOND_US, Claim, Ended

AHEAD_US = 100_000
"""What is due so soon is claimed now."""


class Watched(Struct):
    """A watch that is looked after."""

    active: Active
    looked_at: int
    """Up to this moment (UTC microseconds) all that was due has been looked after."""
    turn: int
    under_way: bool = False
    bad: bool = False
    """Its last run was."""
    whole_day: int = 0
    """The day (since 1970) of which a good run's evidence was kept longer."""


class Due(Struct):
    """What is to be done now."""

    claims: list[tuple[Claim, int]] = field(default_factory=list)
    """The runs that begin, with the moment of each."""
    looked: list[tuple[int, int]] = field(default_factory=list)
    """Watches, and up to which moment they are looked after by it."""
    fell_out: list[Ended] = field(default_factory=list)
    """What was due and does not run."""


class Agenda:
    """Moments are UTC microseconds."""

    def __init__(self) -> None:
        self.watched: dict[int, Watched] = {}
        self._heap: list[tuple[int, int]] = []

    def set(self, found: Iterable[Active]) -> None:
        """These are looked after from now on; what is under way goes on."""
        before, self.watched = self.watched, {}
        for active in found:
            id, standing = active.stored.id, active.standing
            held = before.get(id) or Watched(active, 0, 0)
            held.active, held.turn = active, standing.turn
            held.looked_at = standing.looked_at
            self.watched[id] = held
        self._heap = []
        for id in self.watched:
            self._push(id)

    def ask(self, watch: int) -> None:
        """A run besides the schedule, as soon as can be."""
        if watch in self.watched:
            heapq.heappush(self._heap, (-1, watch))

    def next_moment(self) -> int | None:
        """When something has to be claimed at the latest."""
        return self._heap[0][0] if self._heap else None

    def soon(self, until: int) -> list[Active]:
        """The watches that are due by a moment."""
        ids = {id for moment, id in self._heap if moment <= until}
        return [self.watched[id].active for id in ids if id in self.watched]

    def due(self, now: int) -> Due:
        """What is due by now, or very soon; it is under way, once this returns."""
        found = Due()
        while self._heap and self._heap[0][0] <= now + AHEAD_US:
            moment, id = heapq.heappop(self._heap)
            watched = self.watched[id]
            before = watched.looked_at
            if moment >= 0:
                self._turn(watched, now, found)
                self._push(id)
            elif not watched.under_way and now // SECOND_US > before // SECOND_US:
                found.claims.append((_claimed(watched, now), now))
                watched.looked_at, watched.under_way = now, True
            if watched.looked_at > before:
                found.looked.append((id, watched.looked_at))
        return found

    def _push(self, id: int) -> None:
        watched = self.watched[id]
        schedule, last = watched.active.schedule, watched.looked_at
        due = schedule.due_after(last)
        if due is None:
            return
        heapq.heappush(self._heap, (min([due, *schedule.closings(last + 1, due)]), id))

    def _turn(self, watched: Watched, now: int, found: Due) -> None:
        """What becomes of what a watch is due for by now: it begins, was missed, or is skipped
        since the one before is still under way."""
        said = turn(watched.active.schedule, watched.looked_at, now, now + AHEAD_US)
        last = watched.looked_at // SECOND_US
        for moment in said.closed:
            found.fell_out.append(_fell_out(watched, "unwatched", moment))
        if said.missed:
            found.fell_out.append(_fell_out(watched, "unwatched", said.missed_since, said.missed))
        dues = [*([said.caught_up] if said.caught_up is not None else []), *said.due]
        for due in dues:
            if due // SECOND_US <= last:
                continue  # the same second was looked after by a schedule that was changed since
            last = due // SECOND_US
            if watched.under_way:
                found.fell_out.append(_fell_out(watched, "skipped", due))
                continue
            watched.under_way = True
            more = CAUGHT_UP if due == said.caught_up else 0
            found.claims.append((_claimed(watched, due, more), due))
        watched.looked_at = max([watched.looked_at, *dues, *said.closed])


def _claimed(watched: Watched, due: int, more: int = 0) -> Claim:
    active = watched.active
    if active.watch.in_maintenance(due, active.zone):
        more |= MAINTENANCE
    return Claim(active.stored.id, due // SECOND_US, watched.turn, more)


def _fell_out(watched: Watched, fate: Fate, due: int, number: int = 0) -> Ended:
    stored = watched.active.stored
    return Ended(stored.project, stored.id, due // SECOND_US, watched.turn, flag_of(fate), number)
