"""Who may run against an environment, and let steps change something there: the least role of each,
beside whether its steps are asked about, which its document says."""

from __future__ import annotations

import sqlite3
from typing import Literal

from msgspec import Struct

from saltpath.store.database import write
from saltpath.store.people import ROLES, Role

Least = Role | Literal[""]


class Guard(Struct, frozen=True):
    """The least roles; empty: whoever may run at all."""

    run: Least = ""
    change: Least = ""

    def lets_run(self, role: Role | None) -> bool:
        return _is_at_least(role, self.run)

    def lets_change(self, role: Role | None) -> bool:
        return _is_at_least(role, self.change)


def _is_at_least(role: Role | None, least: Least) -> bool:
    return not least or (role is not None and ROLES.index(role) <= ROLES.index(least))


def guard_of(connection: sqlite3.Connection, environment: int) -> Guard:
    row = connection.execute(
        "SELECT run_role, change_role FROM environment_guard WHERE environment = ?", (environment,)
    ).fetchone()
    return Guard(row["run_role"], row["change_role"]) if row else Guard()


def set_guard(connection: sqlite3.Connection, environment: int, guard: Guard) -> None:
    with write(connection):
        connection.execute(
            "INSERT INTO environment_guard (environment, run_role, change_role) VALUES (?, ?, ?) ON"
            " CONFLICT DO UPDATE SET run_role = excluded.run_role, change_role = "
            "excluded.change_role",
            (environment, guard.run, guard.change),
        )
