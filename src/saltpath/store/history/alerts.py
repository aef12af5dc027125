"""What people are told of watches: an alert for each change of state, made in the transaction that
writes the run down (runs.py); by each route, when it may be used; and messages, sent until they
have arrived or a day is over."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterable, Sequence
from typing import Literal

from msgspec import Struct

from saltpath.core.watching.alerts import Kind
from saltpath.store.database import NotFound, new_id, write

WAITS_S = (10, 30, 60, 300, 900, 1_800, 3_600, 7_200, 14_400)
"""After the first try, the second and so on; the last one from then on."""
GIVEN_UP_AFTER_S = 86_400
MOST_SAID = 300
SECOND_US = 1_000_000


class Alert(Struct, frozen=True):
    id: int
    project: int
    watch: int
    trouble: int
    kind: Kind
    number: int
    at: int
    """UTC microseconds."""


class Waiting(Struct, frozen=True):
    """An alert that waits to be told by a route."""

    alert: Alert
    route: int
    due: int


class Message(Struct, frozen=True):
    id: int
    oid: str
    project: int
    route: int
    kind: Kind
    thread: str
    """Of mails that belong together."""
    subject: str
    text: str
    html: str
    body: bytes
    """Of a webhook."""
    state: str
    at: int
    since: int
    due: int | None


class Try(Struct, frozen=True):
    number: int
    at: int
    us: int
    said: str
    """Why it did not arrive, or nothing."""


LOOKED_AT = 300
"""Of the newest, when one looks for what has not arrived."""
_ALERT = "a.id, a.project, a.watch, a.trouble, a.kind, a.number, a.at"
_MESSAGE = "id, oid, project, route, kind, thread, subject, text, html, body, state, at, since, due"


def unplanned(connection: sqlite3.Connection) -> list[Alert]:
    rows = connection.execute(f"SELECT {_ALERT} FROM alert a WHERE planned = 0 ORDER BY id")
    return [Alert(*row) for row in rows]


def plan(connection: sqlite3.Connection, alert: Alert, due: Iterable[tuple[int, int]]) -> None:
    """It is told by these routes, each not before a moment."""
    with write(connection):
        connection.execute("UPDATE alert SET planned = 1 WHERE id = ?", (alert.id,))
        _by_routes(connection, alert.id, due)


def also_by(connection: sqlite3.Connection, alert: Alert, due: Iterable[tuple[int, int]]) -> int:
    """It is told by other routes, too; by how many it was not yet."""
    with write(connection):
        return _by_routes(connection, alert.id, due)


def _by_routes(connection: sqlite3.Connection, alert: int, due: Iterable[tuple[int, int]]) -> int:
    return connection.executemany(
        "INSERT OR IGNORE INTO alert_by_route (alert, route, due) VALUES (?, ?, ?)",
        [(alert, route, moment) for route, moment in due],
    ).rowcount


def waiting(connection: sqlite3.Connection) -> list[Waiting]:
    """What waits for its moment, by route, in the order in which it happened."""
    rows = connection.execute(
        f"SELECT {_ALERT}, r.route, r.due FROM alert_by_route r JOIN alert a ON a.id = r.alert "
        "WHERE r.due IS NOT NULL ORDER BY r.route, a.at, a.id"
    )
    return [Waiting(Alert(*row[:7]), row[7], row[8]) for row in rows]


def put_off(connection: sqlite3.Connection, of: Sequence[Waiting], until: int) -> None:
    with write(connection):
        connection.executemany(
            "UPDATE alert_by_route SET due = ? WHERE alert = ? AND route = ?",
            [(until, one.alert.id, one.route) for one in of],
        )


def told_by(connection: sqlite3.Connection, trouble: int) -> dict[int, Alert]:
    """The routes by which the begin of trouble was told, or waits to be."""
    rows = connection.execute(
        f"SELECT r.route, {_ALERT} FROM alert_by_route r JOIN alert a ON a.id = r.alert WHERE "
        "a.trouble = ? AND a.kind NOT IN ('recovery', 'reminder')",
        (trouble,),
    )
    return {row[0]: Alert(*row[1:]) for row in rows}


def remind(connection: sqlite3.Connection, of: Alert, number: int, at: int) -> bool:
    """Ask for a reminder of trouble, once by its number."""
    with write(connection):
        made = connection.execute(
            "INSERT OR IGNORE INTO alert (project, watch, trouble, kind, number, at) VALUES (?, ?, "
            "?, 'reminder', ?, ?)",
            (of.project, of.watch, of.trouble, number, at),
        )
    return bool(made.rowcount)


def first_alerts(connection: sqlite3.Connection) -> list[tuple[Alert, int]]:
    """Of trouble that lasts and that nobody has taken, but for what is only slower: the alert of
    its begin, and when it began (seconds)."""
    rows = connection.execute(
        f"SELECT {_ALERT}, t.began FROM trouble t JOIN alert a ON a.trouble = t.id AND a.kind = "
        "t.kind WHERE t.ended = 0 AND t.taken_by = '' AND t.kind <> 'slower'"
    )
    return [(Alert(*row[:7]), row[7]) for row in rows]


def put(
    connection: sqlite3.Connection,
    project: int,
    route: int,
    kind: Kind,
    thread: str,
    said: tuple[str, str, str, bytes],
    of: Sequence[Waiting],
    at: int,
) -> Message:
    """A message (subject, text, HTML, body) for what waited, due now."""
    with write(connection):
        cursor = connection.execute(
            "INSERT INTO alert_message (oid, project, route, kind, thread, subject, text, html, "
            "body, state, at, since, due) VALUES (?, ?, ?, ?, ?, ?, ?, ?, ?, 'waiting', ?, ?, ?)",
            (new_id("message"), project, route, kind, thread, *said, at, at, at),
        )
        id = int(cursor.lastrowid or 0)
        connection.executemany(
            "UPDATE alert_by_route SET due = NULL, message = ? WHERE alert = ? AND route = ?",
            [(id, one.alert.id, one.route) for one in of],
        )
    return _message(connection, "id = ?", id)


def first_of_day(connection: sqlite3.Connection, route: int, what: str, day: str) -> bool:
    """Whether a route has not sent this yet that is sent once a day; from now on it has."""
    with write(connection):
        return bool(
            connection.execute(
                "INSERT OR IGNORE INTO route_day (route, what, day) VALUES (?, ?, ?)",
                (route, what, day),
            ).rowcount
        )


def drop(connection: sqlite3.Connection, of: Sequence[Waiting]) -> None:
    """Nothing is told of it: its route is gone."""
    with write(connection):
        connection.executemany(
            "UPDATE alert_by_route SET due = NULL WHERE alert = ? AND route = ?",
            [(one.alert.id, one.route) for one in of],
        )


def due(connection: sqlite3.Connection, now: int, most: int) -> list[Message]:
    """What is to be tried by now, the oldest of each route alone, so that none overtakes
    another."""
    rows = connection.execute(
        f"SELECT {_MESSAGE} FROM alert_message WHERE id IN (SELECT MIN(id) FROM alert_message "
        "WHERE due IS NOT NULL GROUP BY route) AND due <= ? ORDER BY due LIMIT ?",
        (now, most),
    )
    return [Message(*row) for row in rows]


def record_try(connection: sqlite3.Connection, of: Message, at: int, us: int, said: str) -> None:
    """What came of a try; empty `said`: it has arrived. Else it is tried again later, until a day
    is over."""
    with write(connection):
        number = connection.execute(
            "SELECT COUNT(*) FROM alert_try WHERE message = ?", (of.id,)
        ).fetchone()[0]
        connection.execute(
            "INSERT INTO alert_try (message, number, at, us, said) VALUES (?, ?, ?, ?, ?)",
            (of.id, number + 1, at, us, said[:MOST_SAID]),
        )
        state, later = "waiting", at + us + SECOND_US * WAITS_S[min(number, len(WAITS_S) - 1)]
        if not said:
            state = "delivered"
        elif of.kind == "test" or at + us - of.since >= SECOND_US * GIVEN_UP_AFTER_S:
            state = "given up"
        connection.execute(
            "UPDATE alert_message SET state = ?, due = ? WHERE id = ?",
            (state, later if state == "waiting" else None, of.id),
        )


def send_again(connection: sqlite3.Connection, oid: str, now: int) -> None:
    """Try it now, and from now on for a day, whatever came of it."""
    with write(connection):
        connection.execute(
            "UPDATE alert_message SET state = 'waiting', since = ?, due = ? WHERE oid = ?",
            (now, now, oid),
        )


def message(connection: sqlite3.Connection, oid: str) -> Message:
    """Raises NotFound."""
    return _message(connection, "oid = ?", oid)


def _message(connection: sqlite3.Connection, which: str, value: object) -> Message:
    row = connection.execute(
        f"SELECT {_MESSAGE} FROM alert_message WHERE {which}", (value,)
    ).fetchone()
    if row is None:
        raise NotFound("there is no such message")
    return Message(*row)


def log_of(
    connection: sqlite3.Connection, project: int, before: int | None, most: int
) -> list[tuple[Message, list[Try]]]:
    """The messages of a project with their tries, the newest first; `before`: only those with a
    smaller id."""
    rows = connection.execute(
        f"SELECT {_MESSAGE} FROM alert_message WHERE project = ? AND id < ? ORDER BY id DESC "
        "LIMIT ?",
        (project, before if before is not None else 1 << 62, most),
    ).fetchall()
    found = []
    for row in rows:
        tries = connection.execute(
            "SELECT number, at, us, said FROM alert_try WHERE message = ? ORDER BY number",
            (row["id"],),
        )
        found.append((Message(*row), [Try(*one) for one in tries]))
    return found


def not_arrived(
    connection: sqlite3.Connection, project: int, since: int, most: int
) -> list[tuple[Message, list[Try]]]:
    """Those that were tried since a moment (UTC microseconds) and have not arrived, the newest
    first."""
    found = log_of(connection, project, None, LOOKED_AT)
    return [
        (message, tries)
        for message, tries in found
        if tries and tries[-1].said and tries[-1].at >= since
    ][:most]


# ---- mutes

Muted = Literal["watch", "route"]


def mute(
    connection: sqlite3.Connection, id: int, until: int, by: str, what: Muted = "watch"
) -> None:
    """Nobody is told of a watch, or by a route, until a moment; 0: from now on people are."""
    with write(connection):
        connection.execute(
            f"INSERT OR REPLACE INTO {what}_mute ({what}, until, by) VALUES (?, ?, ?)",
            (id, until, by),
        )


def mutes(
    connection: sqlite3.Connection, now: int, what: Muted = "watch"
) -> dict[int, tuple[int, str]]:
    """The watches of which nobody is told now, or the routes by which nobody is: until when, and
    who said so."""
    rows = connection.execute(
        f"SELECT {what} AS id, until, by FROM {what}_mute WHERE until > ?", (now,)
    )
    return {row["id"]: (row["until"], row["by"]) for row in rows}
