"""Results of runs that are sent to addresses: the rules that say which, what is on its way, and
each try. A delivery is made in the transaction in which its run ends, so that none is forgotten; it
is sent at least once, and carries its id, by which whoever gets it knows it again."""

from __future__ import annotations

import sqlite3
from typing import Any, Literal

import msgspec
from msgspec import Struct

from saltpath.store import projects
from saltpath.store.database import NotFound, VersionConflict, new_id, now_us, write
from saltpath.store.events import add_event

State = Literal["waiting", "delivered", "given up"]
WAITS_S = (10, 30, 60, 300, 900, 1_800, 3_600, 7_200, 14_400)
"""After the first try, the second and so on; the last one from then on."""
GIVEN_UP_AFTER_S = 86_400
MOST_SAID = 300


class Rule(Struct, frozen=True, omit_defaults=True):
    """Where results go, and which."""

    address: str
    form: str = "junit"
    """A form of reports by its name."""
    header: str = ""
    """The name of the header that has the key; empty: none is sent."""
    suite: str = ""
    """Only runs that hold a case of this suite, by its identity; empty: of all."""
    environment: str = ""
    """Only runs against this environment, by its name; empty: against all."""
    bad: bool = False
    """Only runs that did not pass."""


class StoredRule(Struct, frozen=True):
    id: int
    oid: str
    project: int
    rule: Rule
    version: int


class Delivery(Struct, frozen=True):
    """One result on its way. Moments: UTC, microseconds."""

    id: int
    oid: str
    project: int
    rule: int
    run: int
    state: State
    since: int
    """From when a day is counted, after which it is given up."""
    due: int | None


class Try(Struct, frozen=True):
    number: int
    at: int
    us: int
    status: int
    said: str
    """Why it did not arrive, or nothing."""


class Logged(Struct, frozen=True):
    """A delivery as its log shows it."""

    delivery: Delivery
    run: str
    run_number: int
    title: str
    tries: tuple[Try, ...]


def rules(connection: sqlite3.Connection, project: int) -> list[StoredRule]:
    """Those of a project, the oldest first."""
    rows = connection.execute(
        "SELECT id, oid, project, document, version FROM delivery_rule WHERE project = ? AND NOT "
        "gone ORDER BY id",
        (project,),
    )
    return [_rule(row) for row in rows]


def rule(connection: sqlite3.Connection, oid: str) -> StoredRule:
    """Raises NotFound."""
    return _found(connection, "oid = ? AND NOT gone", oid)


def rule_by_id(connection: sqlite3.Connection, id: int) -> StoredRule:
    """Also of one that was taken away."""
    return _found(connection, "id = ?", id)


def _found(connection: sqlite3.Connection, which: str, value: object) -> StoredRule:
    row = connection.execute(
        f"SELECT id, oid, project, document, version FROM delivery_rule WHERE {which}", (value,)
    ).fetchone()
    if row is None:
        raise NotFound("there is no such delivery")
    return _rule(row)


def _rule(row: sqlite3.Row) -> StoredRule:
    return StoredRule(
        row["id"],
        row["oid"],
        row["project"],
        msgspec.json.decode(row["document"], type=Rule),
        row["version"],
    )


def add_rule(connection: sqlite3.Connection, project: int, actor: int, rule: Rule) -> StoredRule:
    oid = new_id("deliveries")
    with write(connection):
        connection.execute(
            "INSERT INTO delivery_rule (oid, project, document, version, actor, at) VALUES (?, ?, "
            "?, 1, ?, ?)",
            (oid, project, _document(rule), actor, now_us()),
        )
        _tell(connection, project)
    return _found(connection, "oid = ?", oid)


def change_rule(
    connection: sqlite3.Connection, stored: StoredRule, actor: int, seen: int, rule: Rule
) -> StoredRule:
    """Raises VersionConflict where it is another than the version that was seen."""
    with write(connection):
        changed = connection.execute(
            "UPDATE delivery_rule SET document = ?, version = version + 1, actor = ?, at = ? WHERE "
            "id = ? AND version = ? AND NOT gone",
            (_document(rule), actor, now_us(), stored.id, seen),
        )
        if not changed.rowcount:
            raise VersionConflict(_found(connection, "id = ?", stored.id).version)
        _tell(connection, stored.project)
    return _found(connection, "id = ?", stored.id)


def turn_rule(connection: sqlite3.Connection, stored: StoredRule, gone: bool) -> None:
    """It is taken away, or is back. What is on its way still goes."""
    with write(connection):
        connection.execute("UPDATE delivery_rule SET gone = ? WHERE id = ?", (gone, stored.id))
        _tell(connection, stored.project)


def rule_taken_away(connection: sqlite3.Connection, oid: str) -> StoredRule:
    """Raises NotFound."""
    return _found(connection, "oid = ? AND gone", oid)


def _document(rule: Rule) -> str:
    return msgspec.json.encode(rule).decode()


def _tell(connection: sqlite3.Connection, project: int) -> None:
    add_event(connection, project, None, now_us(), "deliveries changed", {})


def make_due(connection: sqlite3.Connection, run: int, at: int) -> None:
    """A run has ended, within the caller's transaction: its results are to be sent wherever a rule
    says so. Trials are sent nowhere."""
    row = connection.execute(
        "SELECT project, kind, environment, verdict FROM run WHERE id = ?", (run,)
    ).fetchone()
    if row is None or row["kind"] != "run":
        return
    for stored in rules(connection, row["project"]):
        if _meant(connection, stored.rule, run, row):
            connection.execute(
                "INSERT OR IGNORE INTO delivery (oid, project, rule, run, state, since, due) VALUES"
                " (?, ?, ?, ?, 'waiting', ?, ?)",
                (new_id("delivery"), row["project"], stored.id, run, at, at),
            )


def _meant(connection: sqlite3.Connection, rule: Rule, run: int, row: sqlite3.Row) -> bool:
    if rule.bad and row["verdict"] == "passed":
        return False
    went = "SELECT 1 FROM run_case WHERE run = ? AND environment = ? LIMIT 1"
    if rule.environment and connection.execute(went, (run, rule.environment)).fetchone() is None:
        return False
    if not rule.suite:
        return True
    held = connection.execute(
        "SELECT 1 FROM run_case rc JOIN test_case c ON c.id = rc.test_case JOIN suite s ON s.id = "
        f"c.suite JOIN suite f ON f.oid = ? AND {projects.STANDS_IN} WHERE rc.run = ? LIMIT 1",
        (rule.suite, run),
    )
    return held.fetchone() is not None


LOOKED_AT = 500
"""Of the newest, when one looks for what has not arrived."""
_DELIVERY = "SELECT d.id, d.oid, d.project, d.rule, d.run, d.state, d.since, d.due FROM delivery d "


def due(connection: sqlite3.Connection, now: int, most: int) -> list[Delivery]:
    """What is to be tried by now, the longest due first."""
    rows = connection.execute(_DELIVERY + "WHERE d.due <= ? ORDER BY d.due LIMIT ?", (now, most))
    return [Delivery(*row) for row in rows]


def next_due(connection: sqlite3.Connection) -> int | None:
    """When the next is to be tried; None if nothing is on its way."""
    found = connection.execute("SELECT MIN(due) FROM delivery WHERE due IS NOT NULL").fetchone()[0]
    return int(found) if found is not None else None


def record_try(
    connection: sqlite3.Connection, delivery: Delivery, at: int, us: int, status: int, said: str
) -> None:
    """What came of a try; empty `said`: it has arrived. Else it is tried again later, until a day
    is over."""
    with write(connection):
        number = connection.execute(
            "SELECT COUNT(*) FROM delivery_try WHERE delivery = ?", (delivery.id,)
        ).fetchone()[0]
        connection.execute(
            "INSERT INTO delivery_try (delivery, number, at, us, status, said) VALUES (?, ?, ?, ?, "
            "?, ?)",
            (delivery.id, number + 1, at, us, status, said[:MOST_SAID]),
        )
        since = connection.execute(
            "SELECT COUNT(*) FROM delivery_try WHERE delivery = ? AND at >= ?",
            (delivery.id, delivery.since),
        ).fetchone()[0]
        wait_us = 1_000_000 * WAITS_S[min(since - 1, len(WAITS_S) - 1)]
        later: int | None = at + us + wait_us
        state: State = "waiting"
        if not said:
            state, later = "delivered", None
        elif at + us - delivery.since >= 1_000_000 * GIVEN_UP_AFTER_S:
            state, later = "given up", None
        connection.execute(
            "UPDATE delivery SET state = ?, due = ? WHERE id = ?", (state, later, delivery.id)
        )
        add_event(
            connection, delivery.project, delivery.run, at, "delivery tried", {"state": state}
        )


def send_again(connection: sqlite3.Connection, oid: str, now: int) -> None:
    """Try it now, and from now on for a day, whatever came of it. Raises NotFound."""
    with write(connection):
        found = connection.execute(
            "UPDATE delivery SET state = 'waiting', since = ?, due = ? WHERE oid = ? RETURNING "
            "project, run",
            (now, now, oid),
        ).fetchone()
        if found is None:
            raise NotFound("there is no such delivery")
        add_event(
            connection, found["project"], found["run"], now, "delivery tried", {"state": "waiting"}
        )


def delivery(connection: sqlite3.Connection, oid: str) -> Delivery:
    """Raises NotFound."""
    row = connection.execute(_DELIVERY + "WHERE d.oid = ?", (oid,)).fetchone()
    if row is None:
        raise NotFound("there is no such delivery")
    return Delivery(*row)


def log_of(
    connection: sqlite3.Connection, project: int, before: int | None, limit: int
) -> list[Logged]:
    """The deliveries of a project with their tries, the newest first; `before`: only those with a
    smaller id."""
    rows = connection.execute(
        "SELECT d.*, r.oid AS run_oid, r.number AS run_number, r.title FROM delivery d JOIN run r "
        "ON r.id = d.run WHERE d.project = ? AND d.id < ? ORDER BY d.id DESC LIMIT ?",
        (project, before if before is not None else 1 << 62, limit),
    ).fetchall()
    return [
        Logged(
            Delivery(*(row[name] for name in Delivery.__struct_fields__)),
            row["run_oid"],
            row["run_number"],
            row["title"],
            _tries(connection, row["id"]),
        )
        for row in rows
    ]


def not_arrived(
    connection: sqlite3.Connection, project: int, since: int, most: int
) -> list[Logged]:
    """Those that were tried since a moment (UTC microseconds) and have not arrived, the newest
    first."""
    found = log_of(connection, project, None, LOOKED_AT)
    return [
        one
        for one in found
        if one.delivery.state != "delivered" and one.tries and one.tries[-1].at >= since
    ][:most]


def _tries(connection: sqlite3.Connection, delivery: int) -> tuple[Try, ...]:
    rows = connection.execute(
        "SELECT number, at, us, status, said FROM delivery_try WHERE delivery = ? ORDER BY number",
        (delivery,),
    )
    return tuple(Try(*row) for row in rows)


def secret_name(rule: StoredRule) -> str:
    """The name under which the value of its header is kept; no value of the project has such a
    one."""
    return f"delivery {rule.oid}"


def as_json(rule: Rule) -> dict[str, Any]:
    """All of it, defaults too."""
    return {name: getattr(rule, name) for name in Rule.__struct_fields__}
