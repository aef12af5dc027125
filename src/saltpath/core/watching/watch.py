"""A watch: what it runs, when, where, what is expected of it over time, and who is told."""

from __future__ import annotations

from typing import Literal

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.watching.hours import Hours, Span, merged
from saltpath.core.watching.schedule import Cron, Every, Schedule
from saltpath.core.watching.states import Rule

Of = Literal["case", "suite", "tag"]
USUAL_EVERY = Every(300_000_000)


class Maintenance(Struct, frozen=True):
    """Agreed times that do not count: once, or hours that come again."""

    begin: int = 0
    """UTC microseconds."""
    end: int = 0
    hours: Hours | None = None
    note: str = ""

    def spans(self, zone: str, begin: int, end: int) -> list[Span]:
        """What of the time from one moment to another it is."""
        if self.hours is not None:
            return list(self.hours.spans(zone, begin, end))
        first, last = max(self.begin, begin), min(self.end, end)
        return [(first, last)] if first < last else []


class Within(Struct, frozen=True):
    """A share of the answers, from 0 to 1, that comes within a time: the percentile of that share
    is at most so long."""

    share: float
    us: int


class Limits(Struct, frozen=True):
    """What a watch promises."""

    time_us: int | None = None
    """The longest that a run's answers may take together; a run that takes longer is bad."""
    answers: tuple[Within, ...] = ()
    """How quick they are over the period, each alone."""
    available: float | None = None
    """The share of the time in which it is good, from 0 to 1."""
    days: int = 0
    """Over so many days up to now; 0: over the calendar month."""


class Watch(Struct, frozen=True):
    """As its file says it."""

    name: str
    of: Of = "case"
    """Whether it runs a case, the cases of a suite and below, or those with a tag."""
    what: str = ""
    """Which: a case's key or path, a suite's folder, a tag."""
    key: str = ""
    about: str = ""
    when: Every | Cron = USUAL_EVERY
    hours: tuple[Hours, ...] = ()
    zone: str = ""
    """Whose clocks its hours and cron go by; empty: the project's."""
    exact: bool = False
    """It begins with its interval, rather than at a moment that is drawn within it."""
    environment: str = ""
    """Where it goes; empty: the project's usual one."""
    pick: str = ""
    """Which rows are meant."""
    values: dict[str, str] = field(default_factory=dict)
    """Given to each run, in place of those of the project, the suite or the case."""
    limits: Limits = Limits()
    rule: Rule = Rule()
    again: bool = True
    """A bad run is tried once more before it is believed."""
    may_change: bool = False
    """Steps that may change something are sent in a guarded environment, too."""
    maintenance: tuple[Maintenance, ...] = ()
    tell: tuple[str, ...] = ()
    """The routes by which people are told."""
    urgent: bool = True
    """Its outages are told by routes that hear only what is urgent, too."""
    tags: tuple[str, ...] = ()
    supplier: str = ""
    """Whose service it is, if it is somebody else's."""
    off: bool = False

    def schedule(self, number: int, zone: str) -> Schedule:
        """When it is due. `number`: which of the watches it is; `zone`: the project's."""
        where = self.zone or zone
        when = replace(self.when, zone=where) if isinstance(self.when, Cron) else self.when
        return Schedule(when, self.hours, where, self.exact, number)

    def in_maintenance(self, moment: int, zone: str) -> bool:
        """Whether a moment (UTC microseconds) is one that was agreed not to count."""
        where = self.zone or zone
        return any(one.spans(where, moment, moment + 1) for one in self.maintenance)

    def agreed(self, zone: str, begin: int, end: int) -> list[Span]:
        """The agreed times between two moments, those that touch as one."""
        where = self.zone or zone
        return merged(span for one in self.maintenance for span in one.spans(where, begin, end))
