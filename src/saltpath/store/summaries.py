"""What reports say of a case, kept with each of its versions as they are saved (cases.py)."""

from __future__ import annotations

import sqlite3

from saltpath.core.cases.summary import Summary, read_summary, summary_of, write_summary
from saltpath.core.format.readable import readable_case
from saltpath.core.values import plain
from saltpath.store.database import NotFound, write


def summary_at(connection: sqlite3.Connection, id: int, version: int) -> Summary:
    """What a case is at the version that a run used, as `case_at` finds it. Raises NotFound."""
    row = connection.execute(
        "SELECT summary FROM case_revision WHERE test_case = ? AND version >= ? ORDER BY version "
        "LIMIT 1",
        (id, version),
    ).fetchone()
    if row is None:
        raise NotFound(f"version {version} of this case is not kept")
    return read_summary(row["summary"])


def check_stored(connection: sqlite3.Connection) -> None:
    """Look once whether what older versions of Salt Path have stored can be read, and note what
    reports say of it, so that it need not be looked at whenever it is asked for."""
    rows = connection.execute(
        "SELECT c.id, r.version, r.document, c.name, c.key FROM test_case c JOIN case_revision r "
        "ON r.test_case = c.id"
        " WHERE (r.version = c.version AND NOT r.checked)"
        " OR (r.summary = '' AND (r.used OR r.version = c.version))"
    ).fetchall()
    noted = []
    for row in rows:
        read, wrong = readable_case(plain.read_json(row["document"]), row["name"], row["key"])
        noted.append((not wrong, write_summary(summary_of(read)), row["id"], row["version"]))
    with write(connection):
        connection.executemany(
            "UPDATE case_revision SET checked = ?, summary = ? WHERE test_case = ? AND version = ?",
            noted,
        )
