"""What is looked through for what no single run of a watch says (runner/noticing.py), and when it
last was."""

from __future__ import annotations

import sqlite3
from typing import Literal

from saltpath.core.watching.alerts import TroubleKind
from saltpath.core.watching.flags import BAD, FATE_BITS, FATES

What = Literal["slower"]


def to_look_through(
    connection: sqlite3.Connection, what: What, before: int, most: int
) -> dict[int, str | None]:
    """Watches that have run since they were last looked through, which was by a moment (UTC
    microseconds), those that wait longest first; with what was found then, as JSON."""
    rows = connection.execute(
        "SELECT s.watch, l.found FROM watch_state s LEFT JOIN watch_look l ON l.watch = s.watch "
        "AND l.what = ? WHERE NOT s.off AND s.last_due > 0 AND (l.at IS NULL OR (l.at <= ? AND "
        "s.last_at > l.at)) ORDER BY l.at LIMIT ?",
        (what, before, most),
    )
    return {row["watch"]: row["found"] for row in rows}


def note(connection: sqlite3.Connection, watch: int, what: What, at: int, found: str) -> None:
    """It was looked through; within the caller's transaction."""
    connection.execute(
        "INSERT OR REPLACE INTO watch_look (watch, what, at, found) VALUES (?, ?, ?, ?)",
        (watch, what, at, found),
    )


def bad_since(connection: sqlite3.Connection, moment: int) -> set[int]:
    """The watches that had a bad run since a moment (seconds), as far as these are fresh."""
    bad = ", ".join(str(FATES.index(fate)) for fate in sorted(BAD))
    rows = connection.execute(
        f"SELECT DISTINCT watch FROM watch_run WHERE due > ? AND flag & {FATE_BITS} IN ({bad})",
        (moment,),
    )
    return {row[0] for row in rows}


def last_ended(connection: sqlite3.Connection, watch: int, kind: TroubleKind) -> int:
    """When the last trouble of a kind was over (seconds); 0: there was none."""
    found = connection.execute(
        "SELECT MAX(ended) FROM trouble WHERE watch = ? AND kind = ?", (watch, kind)
    ).fetchone()[0]
    return int(found or 0)


def is_known(
    connection: sqlite3.Connection, watch: int, kind: TroubleKind, since: int, lasted: int
) -> bool:
    """Whether there is trouble of a kind that began since a moment, or lasted beyond another
    (seconds)."""
    found = connection.execute(
        "SELECT 1 FROM trouble WHERE watch = ? AND kind = ? AND (began >= ? OR ended > ?)",
        (watch, kind, since, lasted),
    ).fetchone()
    return found is not None
