"""Where requests may go, as the administrator said it: read by runners and the courier for each run
and each round."""

from __future__ import annotations

import sqlite3

import msgspec
from msgspec import Struct

from saltpath.core.running.reach import Reach, read_rule
from saltpath.store.people import set_setting, setting

NAME, SHARED = "reach", "shared"


class Said(Struct, frozen=True, omit_defaults=True):
    """What was said of it."""

    nearby: bool | None = None
    """Whether this machine and private networks may be asked; None: where only this machine comes
    here."""
    allow: tuple[str, ...] = ()
    deny: tuple[str, ...] = ()
    only: bool = False


def said(connection: sqlite3.Connection) -> Said:
    text = setting(connection, NAME)
    return msgspec.json.decode(text, type=Said) if text else Said()


def say(connection: sqlite3.Connection, wanted: Said) -> None:
    set_setting(connection, NAME, msgspec.json.encode(wanted).decode())


def is_shared(connection: sqlite3.Connection) -> bool:
    """Whether others than this machine come to it."""
    return setting(connection, SHARED) == "yes"


def say_shared(connection: sqlite3.Connection, shared: bool) -> None:
    """How it listens since it was started."""
    if is_shared(connection) != shared:
        set_setting(connection, SHARED, "yes" if shared else "")


def reach(connection: sqlite3.Connection, own_port: int) -> Reach:
    """What may be asked now. Raises Unreadable for rules that an older version took."""
    told = said(connection)
    return Reach(
        own_ports=(own_port,) if own_port else (),
        nearby=not is_shared(connection) if told.nearby is None else told.nearby,
        allow=tuple(map(read_rule, told.allow)),
        deny=tuple(map(read_rule, told.deny)),
        only=told.only,
    )
