"""What a request works with: this thread's connections, the person who asks, the parts of the
request."""

from __future__ import annotations

import re
import sqlite3
import threading
from pathlib import Path
from typing import Any

from flask import current_app, g, request

from saltpath.server.problems import Refused
from saltpath.server.sandbox import Confined
from saltpath.store.database import Which, connect
from saltpath.store.people import Person

_local = threading.local()


def folder() -> Path:
    return Path(current_app.config["FOLDER"])


def database(which: Which = "main") -> sqlite3.Connection:
    """This thread's connection."""
    key = f"{which}:{folder()}"
    connections: dict[str, sqlite3.Connection] = _local.__dict__.setdefault("connections", {})
    if key not in connections:
        connections[key] = connect(folder(), which)
    return connections[key]


def confined(task: str, *arguments: Any) -> Any:
    """What a task on somebody's file gives, done by a process that may be ended (see sandbox.py).
    Raises Unreadable."""
    processes: Confined = current_app.config["CONFINED"]
    gone = request.environ.get("waitress.client_disconnected", lambda: False)
    return processes.do(task, *arguments, gone=gone)


def actor() -> Person:
    """The person who asks, within an operation that nobody can ask who is not known."""
    person: Person = g.caller.person
    return person


_ETAG = re.compile(r'(?:W/)?"(\d{1,15})"')


def version_changed() -> int:
    """The version that If-Match names. Raises Refused."""
    found = _ETAG.fullmatch(request.headers.get("If-Match", "").strip())
    if found is None:
        raise Refused(428, "if-match-missing", 'Say which version you changed: If-Match: "3".')
    return int(found[1])


def limit(default: int = 100, most: int = 1000) -> int:
    """`?limit=`, from 1 to 1,000."""
    text = request.args.get("limit", str(default))
    if not text.isascii() or not text.isdigit() or not 1 <= int(text[:9]) <= most:
        raise Refused(400, "limit", f"limit is a whole number from 1 to {most}.")
    return int(text)


def whole(name: str, default: int) -> int:
    """A query parameter that is a whole number of at most 18 digits."""
    text = request.args.get(name, str(default))
    if not text.isascii() or not text.isdigit() or len(text) > 18:
        raise Refused(400, name, f"{name} is a whole number.")
    return int(text)
