"""Errands: what the web server has asked elsewhere, since it sends nowhere itself. The courier does
each at once, and the web server takes the answer; a row lives for seconds."""

from __future__ import annotations

import sqlite3
from typing import Any

from msgspec import Struct

from saltpath.core.values import plain
from saltpath.store.database import now_us, write

LIVES_US = 60_000_000


class Errand(Struct, frozen=True):
    id: int
    kind: str
    asked: dict[str, Any]


def ask(connection: sqlite3.Connection, kind: str, asked: dict[str, Any]) -> int:
    """Have it done; by its number the answer is taken. What nobody took goes."""
    now = now_us()
    with write(connection):
        connection.execute("DELETE FROM errand WHERE at < ?", (now - LIVES_US,))
        text = plain.write_json(asked).decode()
        made = connection.execute(
            "INSERT INTO errand (kind, asked, at) VALUES (?, ?, ?)", (kind, text, now)
        )
    return int(made.lastrowid or 0)


def waiting(connection: sqlite3.Connection) -> list[Errand]:
    """Those that nobody has done yet, the oldest first."""
    rows = connection.execute(
        "SELECT id, kind, asked FROM errand WHERE answer IS NULL AND at > ? ORDER BY id LIMIT 20",
        (now_us() - LIVES_US,),
    )
    return [Errand(row["id"], row["kind"], plain.read_json(row["asked"])) for row in rows]


def answer(connection: sqlite3.Connection, errand: Errand, told: dict[str, Any]) -> None:
    """It is done; what was asked is not kept on."""
    with write(connection):
        connection.execute(
            "UPDATE errand SET answer = ?, asked = '{}' WHERE id = ?",
            (plain.write_json(told).decode(), errand.id),
        )


def take(connection: sqlite3.Connection, id: int) -> dict[str, Any] | None:
    """The answer, which goes with that; None: it is not done yet."""
    row = connection.execute("SELECT answer FROM errand WHERE id = ?", (id,)).fetchone()
    if row is None or row["answer"] is None:
        return None
    with write(connection):
        connection.execute("DELETE FROM errand WHERE id = ?", (id,))
    told: dict[str, Any] = plain.read_json(row["answer"])
    return told
