"""The schedule's lease, claims, and runs of watches: each is known by (watch, due, turn), and
written down once.

Whoever holds the lease has its epoch, which grows with each taking; a claim or a run that comes
with an older one is refused, whenever it comes (fencing). The lease itself is a lock of the
operating system on a file (runner/watcher.py), so that no clock decides who holds it. `turn` grows
when the clock is set back, so that an hour that comes again is watched again.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Sequence

from msgspec import Struct, json

from saltpath.core.watching.flags import MOST_LATE_MS, MOST_US, OWN_SIDE, flag_of, is_bad
from saltpath.core.watching.states import Change, Rule, Seen, State, after
from saltpath.store.database import StoreError, write
from saltpath.store.history import troubles
from saltpath.store.history.troubles import Begun

SECOND_US = 1_000_000
MOST_IN_LOG = 20_000
"""Pages; where nobody else sees to it, it goes into the file in the end."""
WATCH_BITS = 24
MOST_WATCHES = (1 << WATCH_BITS) - 1
"""The highest number of a watch, which stands in that of its blocks (blocks.py)."""


class Refused(StoreError):
    """Somebody else holds the schedule by now."""


class Claim(Struct, frozen=True):
    """A run that begins. `due`: seconds, UTC; `flag`: what is said of it beforehand."""

    watch: int
    due: int
    turn: int
    flag: int = 0


class Ended(Struct, frozen=True):
    """A run as it is written down, or one that never was."""

    project: int
    watch: int
    due: int
    turn: int
    flag: int
    us: int = 0
    late_ms: int = 0
    at: int = 0
    """When it ended, UTC microseconds."""
    signature: str = ""
    """Of its cause, where it is bad."""
    host: str = ""
    """That was asked when it went wrong."""
    why: str = ""
    """The cause as a sentence."""


class Standing(Struct, frozen=True):
    """Where a watch stands."""

    watch: int
    project: int
    looked_at: int
    """Up to this moment (UTC microseconds) all that was due has been looked after."""
    turn: int
    state: State
    last_due: int
    last_flag: int
    last_at: int
    last_us: int
    last_why: str


class Turned(Struct, frozen=True):
    """What people may be told after a run."""

    ended: Ended
    change: Change


def leave_the_log(connection: sqlite3.Connection) -> None:
    """Whoever writes here never waits while the log goes into the file (a checkpoint): the keeper
    sees to that each minute, and after each piece that it takes away."""
    connection.execute(f"PRAGMA wal_autocheckpoint = {MOST_IN_LOG}")


def take_lease(connection: sqlite3.Connection, holder: str) -> int:
    """The epoch under which the schedule is held from now on."""
    with write(connection):
        return int(
            connection.execute(
                "UPDATE watch_lease SET epoch = epoch + 1, holder = ? RETURNING epoch", (holder,)
            ).fetchone()[0]
        )


def check_lease(connection: sqlite3.Connection, epoch: int) -> None:
    """Within the caller's transaction. Raises Refused."""
    if connection.execute("SELECT epoch FROM watch_lease").fetchone()[0] != epoch:
        raise Refused("another process holds the schedule of watches")


def standings(
    connection: sqlite3.Connection, watches: Sequence[int] | None = None
) -> dict[int, Standing]:
    """By watch; those that have never been looked after are not there."""
    where = "" if watches is None else f" WHERE watch IN ({', '.join('?' * len(watches))})"
    rows = connection.execute(
        "SELECT watch, project, looked_at, turn, state, last_due, last_flag, last_at, last_us, "
        f"last_why FROM watch_state{where}",
        watches or (),
    )
    return {
        row["watch"]: Standing(**{**dict(row), "state": json.decode(row["state"], type=State)})
        for row in rows
    }


def any_watched(connection: sqlite3.Connection) -> bool:
    """Whether a watch was ever looked after."""
    return connection.execute("SELECT 1 FROM watch_state LIMIT 1").fetchone() is not None


def look_after(
    connection: sqlite3.Connection,
    epoch: int,
    watches: Iterable[tuple[int, int, str]],
    now_us: int,
) -> dict[int, Standing]:
    """These watches (watch, project, digest of the schedule) are looked after from now on, and no
    others; where each stands. One that is already, by the same schedule, goes on from where it
    was. What is looked after no more is not watched from now on. Raises Refused."""
    wanted = list(watches)
    with write(connection):
        check_lease(connection, epoch)
        known = {
            row["watch"]: (row["scheduled"], row["off"])
            for row in connection.execute("SELECT watch, scheduled, off FROM watch_state")
        }
        connection.executemany(
            "INSERT INTO watch_state (watch, project, looked_at, scheduled) VALUES (?, ?, ?, ?) "
            "ON CONFLICT DO UPDATE SET looked_at = excluded.looked_at, off = 0, "
            "scheduled = excluded.scheduled",
            [
                (watch, project, now_us, digest)
                for watch, project, digest in wanted
                if known.get(watch) != (digest, 0)
            ],
        )
        here = {watch for watch, _, _ in wanted}
        gone = [watch for watch, (_, off) in known.items() if not off and watch not in here]
        _not_watched(connection, [(watch, now_us // SECOND_US) for watch in gone])
        connection.executemany(
            "UPDATE watch_state SET off = 1 WHERE watch = ?", [(watch,) for watch in gone]
        )
    return standings(connection)


def _not_watched(connection: sqlite3.Connection, since: Iterable[tuple[int, int]]) -> None:
    """Nobody looks after watches from a moment on (seconds, UTC), as far as they had run."""
    connection.executemany(
        "INSERT OR IGNORE INTO watch_run (due, watch, turn, late, flag, us) SELECT ?, watch, turn, "
        "0, ?, 0 FROM watch_state WHERE watch = ? AND last_due > 0",
        [(due, flag_of("unwatched"), watch) for watch, due in since],
    )


def turn_back(connection: sqlite3.Connection, epoch: int, now_us: int) -> None:
    """The clock was set back: what was looked after beyond now comes again, in another turn."""
    with write(connection):
        check_lease(connection, epoch)
        connection.execute(
            "UPDATE watch_state SET looked_at = ?, turn = turn + 1 WHERE looked_at > ?",
            (now_us, now_us),
        )


def claim(
    connection: sqlite3.Connection,
    epoch: int,
    claims: Sequence[Claim],
    looked: Sequence[tuple[int, int]],
    fell_out: Sequence[Ended],
    at: int,
) -> None:
    """Runs begin, once this returns; `looked`: watches and up to which moment (UTC microseconds)
    they are looked after by it; `fell_out`: what was due and does not run. Raises Refused."""
    with write(connection):
        check_lease(connection, epoch)
        connection.executemany(
            "INSERT INTO watch_claim (watch, due, turn, epoch, at, flag) VALUES (?, ?, ?, ?, ?, ?)",
            [(one.watch, one.due, one.turn, epoch, at, one.flag) for one in claims],
        )
        _insert(connection, fell_out)
        connection.executemany(
            "UPDATE watch_state SET looked_at = ? WHERE watch = ?",
            [(moment, watch) for watch, moment in looked],
        )


def look_on(connection: sqlite3.Connection, watch: int, moment: int) -> None:
    """Up to a moment (UTC microseconds) a watch was looked after; within the caller's
    transaction."""
    connection.execute(
        "UPDATE watch_state SET looked_at = MAX(looked_at, ?) WHERE watch = ?", (moment, watch)
    )


def ask(connection: sqlite3.Connection, watch: int, at: int) -> None:
    """Ask for a run besides the schedule, as soon as can be."""
    with write(connection):
        connection.execute("INSERT OR REPLACE INTO watch_asked VALUES (?, ?)", (watch, at))


def asked(connection: sqlite3.Connection) -> list[int]:
    """The watches of which a run was asked for; it is asked for no more."""
    found = [row[0] for row in connection.execute("SELECT watch FROM watch_asked")]
    if found:
        with write(connection):
            connection.execute("DELETE FROM watch_asked")
    return found


def end(
    connection: sqlite3.Connection, epoch: int, runs: Sequence[Ended], rules: dict[int, Rule]
) -> list[Turned]:
    """Write runs down, in the order in which they were due, and what changes by them; within the
    caller's transaction. A run whose claim is gone was written down by another: it is left alone.
    Raises Refused."""
    check_lease(connection, epoch)
    turned: list[Turned] = []
    for run in runs:
        gone = connection.execute(
            "DELETE FROM watch_claim WHERE watch = ? AND due = ? AND turn = ?",
            (run.watch, run.due, run.turn),
        )
        if not gone.rowcount:
            continue
        _insert(connection, [run])
        change = _stands(connection, run, rules.get(run.watch, Rule()))
        if change is not None:
            turned.append(Turned(run, change))
            _note_outage(connection, run, change)
        elif is_bad(run.flag):
            connection.execute(
                "UPDATE trouble SET runs = runs + 1 WHERE watch = ? AND kind = 'outage' AND "
                "ended = 0",
                (run.watch,),
            )
    return turned


def interrupted(connection: sqlite3.Connection, epoch: int, now_us: int) -> int:
    """What another holder of the lease had claimed: of runs that were due, that nobody knows how
    they ended; others are due again. How many runs were interrupted."""
    with write(connection):
        check_lease(connection, epoch)
        rows = connection.execute(
            "SELECT c.watch, c.due, c.turn, c.flag, s.project FROM watch_claim c JOIN watch_state "
            "s ON s.watch = c.watch WHERE c.epoch < ?",
            (epoch,),
        ).fetchall()
        begun = [row for row in rows if row["due"] * SECOND_US <= now_us]
        _insert(
            connection,
            [
                Ended(
                    row["project"],
                    row["watch"],
                    row["due"],
                    row["turn"],
                    flag_of("interrupted", OWN_SIDE, row["flag"]),
                    at=now_us,
                )
                for row in begun
            ],
        )
        for row in rows:
            if row not in begun:
                connection.execute(
                    "UPDATE watch_state SET looked_at = MIN(looked_at, ?) WHERE watch = ?",
                    (row["due"] * SECOND_US - 1, row["watch"]),
                )
        connection.execute("DELETE FROM watch_claim WHERE epoch < ?", (epoch,))
    return len(begun)


def _insert(connection: sqlite3.Connection, runs: Sequence[Ended]) -> None:
    connection.executemany(
        "INSERT OR IGNORE INTO watch_run (due, watch, turn, late, flag, us) "
        "VALUES (?, ?, ?, ?, ?, ?)",
        [
            (
                run.due,
                run.watch,
                run.turn,
                min(max(run.late_ms, 0), MOST_LATE_MS),
                run.flag,
                min(run.us, MOST_US),
            )
            for run in runs
        ],
    )


def _stands(connection: sqlite3.Connection, run: Ended, rule: Rule) -> Change | None:
    """What is known of the watch after the run. One that was due before the last is history, and
    changes nothing of what stands."""
    row = connection.execute(
        "SELECT state, last_due FROM watch_state WHERE watch = ?", (run.watch,)
    ).fetchone()
    if row is None or run.due < row["last_due"]:
        return None
    before = json.decode(row["state"], type=State)
    state, change = after(before, Seen(run.due, is_bad(run.flag)), rule)
    connection.execute(
        "UPDATE watch_state SET state = ?, last_due = ?, last_flag = ?, last_at = ?, last_us = ?, "
        "last_why = ? WHERE watch = ?",
        (json.encode(state).decode(), run.due, run.flag, run.at, run.us, run.why, run.watch),
    )
    return change


def _note_outage(connection: sqlite3.Connection, run: Ended, change: Change) -> None:
    if change.kind == "outage":
        said = Begun(change.runs, run.why, run.turn, run.signature, run.host)
        troubles.begin(connection, run.project, run.watch, "outage", change.since, said, run.at)
    elif change.kind == "recovery":
        troubles.end(connection, run.watch, "outage", change.at, run.at)
