"""Output tables of a run on the command line: collected on disk as rows end, in whatever order, and
written in the order of the rows."""

from __future__ import annotations

import sqlite3
import threading
from collections.abc import Iterator, Sequence
from typing import Any

from saltpath.core.cases.row_sources import Row
from saltpath.core.running.events import Event, StepFinished
from saltpath.core.running.outputs import place_in_table
from saltpath.core.values import plain
from saltpath.core.values.why import Blocked, why

AT_ONCE = 1_000


class OutputTables:
    """A consumer of events. May be asked from another thread than it is told in."""

    def __init__(self, environments: Sequence[str] = ()) -> None:
        """`environments`: by case where it goes."""
        self._environments = environments
        self._lock = threading.Lock()
        # a file of its own, gone when it is closed
        self._rows = sqlite3.connect("", isolation_level=None, check_same_thread=False)
        self._rows.execute(
            "CREATE TABLE output (tab TEXT, position INTEGER, place TEXT, cells BLOB, PRIMARY KEY "
            "(tab, position, place))"
        )

    def take(self, event: Event) -> None:
        if isinstance(event, StepFinished) and event.wrote is not None:
            place = place_in_table(event.part, event.row, event.step, event.inner)
            cells = plain.write_json(dict(event.wrote.cells))
            with self._lock:
                self._rows.execute(
                    "INSERT OR REPLACE INTO output VALUES (?, ?, ?, ?)",
                    (event.wrote.table, event.case, place, cells),
                )

    @property
    def names(self) -> list[str]:
        with self._lock:
            return [
                row[0] for row in self._rows.execute("SELECT DISTINCT tab FROM output ORDER BY tab")
            ]

    def rows(self, table: str, environment: str | None = None) -> Iterator[dict[str, Any]]:
        """The rows of a table, in order; of those that were written in an environment."""
        position, place = -1, ""
        while True:
            with self._lock:
                found = self._rows.execute(
                    "SELECT position, place, cells FROM output WHERE tab = ? AND (position, "
                    "place) > (?, ?)"
                    " ORDER BY position, place LIMIT ?",
                    (table, position, place, AT_ONCE),
                ).fetchall()
            for at, _, cells in found:
                if environment and self._environments and self._environments[at] != environment:
                    continue
                yield plain.read_json(cells)
            if len(found) < AT_ONCE:
                return
            position, place = found[-1][:2]

    def read(self, table: str, environment: str) -> Iterator[Row]:
        """The rows that were written in an environment, as a source. Raises Blocked where nothing
        was."""
        number = 0
        for number, cells in enumerate(self.rows(table, environment), 1):
            yield Row(number, cells)
        if not number:
            raise Blocked(
                why(
                    "source-unreadable",
                    source=f"the output table {table}",
                    problem="nothing was written there",
                )
            )

    def close(self) -> None:
        self._rows.close()
