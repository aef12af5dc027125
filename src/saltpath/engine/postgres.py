"""PostgreSQL by its public protocol (psycopg): one statement, its values bound, in a transaction
that only reads."""

from __future__ import annotations

import contextlib
import socket
import time
from datetime import date, datetime, timedelta
from datetime import time as time_of_day
from decimal import Decimal
from typing import Any

import psycopg
from psycopg.conninfo import make_conninfo

from saltpath.core.cases.statement import Statement
from saltpath.core.running.reach import Reach
from saltpath.core.values import plain
from saltpath.core.values.why import why
from saltpath.engine.connections import (
    CONNECT_S,
    Place,
    Rows,
    as_rows,
    could_not,
    ended,
    within_size,
)
from saltpath.engine.here import is_here

TLS = {"": "prefer", "off": "disable", "require": "require", "verify": "verify-full"}


def _looked_up(host: str, port: int, reach: Reach) -> str:
    """The address that is connected to, and no other that the name may lead to a moment later.
    Raises Blocked where it may not be asked."""
    if host.startswith(("/", "@")) or "," in host:
        raise could_not("a server is one host here, and no socket of this machine's")
    try:
        found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    except OSError:
        raise could_not(f"there is no host named {host}") from None
    address = str(found[0][4][0])
    refused = reach.refusal(host, address, port, is_here)
    if refused:
        raise could_not(why(f"reach-{refused}", host=f"{host} ({address})").sentence)
    return address


class Postgres:
    """A connection to `host:port/name`."""

    def __init__(self, place: Place, reach: Reach | None = None) -> None:
        self.broken = False
        self._may_change = place.may_change
        server, _, name = place.at.partition("/")
        host, colon, port = server.rpartition(":")
        if not colon:
            host, port = server, "5432"
        if not host or not name or not port.isdigit():
            raise could_not(
                f"a database of PostgreSQL is named host:port/name, and this is {place.at!r}"
            )
        try:
            told = make_conninfo(
                host=host.strip("[]"),
                hostaddr=_looked_up(host.strip("[]"), int(port), reach) if reach else None,
                port=port,
                dbname=name,
                user=place.user or None,
                password=place.password or None,
                sslmode=TLS[place.tls],
                sslrootcert="system" if place.tls == "verify" else None,
                connect_timeout=CONNECT_S,
                application_name="salt-path",
                passfile="/dev/null",
            )
            self._connection = psycopg.connect(told, autocommit=True, prepare_threshold=None)
        except psycopg.Error as problem:
            raise could_not(_sentence(problem)) from None

    def ask(self, asked: Statement, most: int, limit_us: int) -> Rows:
        connection = self._connection
        ends = time.monotonic() + limit_us / 1e6
        try:
            with (
                connection.transaction(force_rollback=not self._may_change),
                connection.cursor() as cursor,
            ):
                limit_ms = max(limit_us // 1000, 1)
                reading = "" if self._may_change else "SET TRANSACTION READ ONLY; "
                connection.execute(f"{reading}SET LOCAL statement_timeout = {limit_ms}")
                # with parameters there is never more than one statement (the extended protocol)
                text, values = asked.text.encode(), [_bound(value) for value in asked.values]
                # row by row, so that a question with millions of them does not fill the memory
                if asked.reads:
                    coming: Any = cursor.stream(text, values)
                    with contextlib.closing(coming):
                        rows = within_size(coming, most + 1)
                else:
                    cursor.execute(text, values, prepare=True)
                    rows = within_size(cursor, most + 1) if cursor.description else []
                names = [column.name for column in cursor.description or ()]
            return as_rows(names, rows, _value)
        except psycopg.errors.QueryCanceled:
            raise ended(ends, limit_us) from None
        except psycopg.errors.ReadOnlySqlTransaction:
            raise could_not("it is only read") from None
        except psycopg.Error as problem:
            self.broken = connection.closed or connection.broken
            raise could_not(_sentence(problem)) from None

    def interrupt(self) -> None:
        with contextlib.suppress(psycopg.Error):
            self._connection.cancel_safe(timeout=1)

    def close(self) -> None:
        with contextlib.suppress(psycopg.Error):
            self._connection.close()


def _sentence(problem: psycopg.Error) -> str:
    """What the server said, in one line."""
    lines = [line.strip() for line in str(problem).splitlines() if line.strip()]
    return lines[0].removeprefix("connection failed: ") if lines else type(problem).__name__


def _bound(value: Any) -> str | None:
    """A value as text, whose kind the server finds by where it stands."""
    if value is None:
        return None
    return value if isinstance(value, str) else plain.as_text(value)


def _value(value: Any) -> Any:
    """A value of PostgreSQL as a plain one: numbers exact, moments as ISO 8601, octets as
    hexadecimal digits."""
    if value is None or isinstance(value, (str, bool, int)):
        return value
    if isinstance(value, float):
        return (
            plain.number_in(repr(value)) if value == value and abs(value) != float("inf") else None
        )
    if isinstance(value, Decimal):
        return value if value.is_finite() else None
    if isinstance(value, (datetime, date, time_of_day)):
        return value.isoformat()
    if isinstance(value, timedelta):
        return f"{value.total_seconds():g} s"
    if isinstance(value, (bytes, memoryview)):
        return bytes(value).hex()
    if isinstance(value, (list, tuple)):
        return [_value(item) for item in value]
    if isinstance(value, dict):
        return {str(key): _value(item) for key, item in value.items()}
    return str(value)
