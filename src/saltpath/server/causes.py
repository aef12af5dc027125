"""The causes of stored runs, as reports and pages ask for them again and again."""

from __future__ import annotations

from saltpath.core.running.cause_sentences import Cause, who
from saltpath.server.caches import VersionCache
from saltpath.server.compiled import summary_of
from saltpath.server.context import database
from saltpath.store import causes, runs

_ended: VersionCache[tuple[Cause, ...]] = VersionCache(200)
"""The causes of runs that have ended."""


def causes_of(run: runs.Run) -> tuple[Cause, ...]:
    """What the failures of a run are cases of. Of one that has ended it is counted once: of very
    many rows that takes as long as a page may."""

    def counted() -> tuple[Cause, ...]:
        return tuple(causes.causes(database("evidence"), run.id))

    return _ended.of(run.oid, run.state, counted) if run.state == "finished" else counted()


def met_by(run: runs.Run, cause: Cause, entries: dict[int, runs.RunCase]) -> str:
    """Whom a cause was met in, among the cases of a run, by their positions."""
    first = entries[cause.first]
    met, of = causes.met_in(database("evidence"), run.id, cause.signature, entries)
    has_rows = summary_of(first).has_rows
    return who(cause, first.name, has_rows, len(entries) == 1, met, of)
