"""The harbour's own database: what it has stored of port calls, in a SQLite file that others may
look into.

One thing is wrong with it, on purpose: names with an ampersand are stored as a page would show them
(`Tern &amp; Daughter`).
"""

from __future__ import annotations

import html
import sqlite3
import tempfile
from pathlib import Path
from typing import Any

_TABLES = """
CREATE TABLE IF NOT EXISTS port_call (
    id TEXT PRIMARY KEY, vessel TEXT NOT NULL, state TEXT NOT NULL, berth TEXT NOT NULL,
    metres NUMERIC NOT NULL, nights INTEGER NOT NULL,
    total NUMERIC NOT NULL, currency TEXT NOT NULL
);
CREATE TABLE IF NOT EXISTS berth (id TEXT PRIMARY KEY, name TEXT NOT NULL,
metres INTEGER NOT NULL, depth NUMERIC NOT NULL, state TEXT NOT NULL);
DELETE FROM port_call;
DELETE FROM berth;
"""


class Ledger:
    """Written as port calls change, within the port's lock. Without a file one is made, which
    `close` takes away."""

    def __init__(self, file: Path | None, berths: list[dict[str, Any]]) -> None:
        self._made = file is None
        if file is None:
            with tempfile.NamedTemporaryFile(
                prefix="fernholm-harbour-", suffix=".db", delete=False
            ) as made:
                file = Path(made.name)
        self.file = file.resolve()
        self._connection = sqlite3.connect(self.file, isolation_level=None, check_same_thread=False)
        self._connection.execute("PRAGMA synchronous = OFF")
        self._connection.executescript(_TABLES)
        self._connection.executemany(
            "INSERT INTO berth VALUES (:id, :name, :metres, :depth, :state)",
            [{**berth, "depth": str(berth["depth"])} for berth in berths],
        )

    def put(self, call: dict[str, Any]) -> None:
        """A port call as it is now."""
        berth, fee = call["berth"], call["fee"]
        vessel = html.escape(call["vessel"], quote=False)
        self._connection.execute(
            "INSERT OR REPLACE INTO port_call VALUES (?, ?, ?, ?, ?, ?, ?, ?)",
            (
                call["id"],
                vessel,
                call["state"],
                berth["name"],
                berth["metres"],
                fee["nights"],
                str(fee["total"]),
                fee["currency"],
            ),
        )

    def remove(self, key: str) -> None:
        self._connection.execute("DELETE FROM port_call WHERE id = ?", (key,))

    def close(self) -> None:
        self._connection.close()
        if self._made:
            self.file.unlink(missing_ok=True)
