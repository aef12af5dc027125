"""Live events: one stream per browser (server-sent events), and the same by asking again where
there is no stream.

One thread polls the database's `data_version` every 10 ms; streams wake when it changes.
"""

from __future__ import annotations

import sqlite3
import threading
import time
from collections.abc import Iterator
from pathlib import Path

from flask import Blueprint, Response, current_app, request

from saltpath.core.values import plain
from saltpath.server.asked import project_asked
from saltpath.server.context import database, limit, whole
from saltpath.server.declared import AFTER, LIMIT, PROJECT, declared, page
from saltpath.server.entry.callers import Caller, caller
from saltpath.server.problems import json_answer, problem
from saltpath.server.rights import held_in
from saltpath.store import events
from saltpath.store.database import connect

live = Blueprint("live", __name__)
MOST_STREAMS = 32
BEAT_S = 5.0
LOOK_S = 0.010


class Watcher:
    """Knows when the main database changed. Its thread starts with the first stream."""

    def __init__(self, folder: Path) -> None:
        self._folder = folder
        self._changed = threading.Condition()
        self._version = 0
        self._started = False
        self.streams = 0

    def enter(self) -> bool:
        """Take a place for a stream; False if all are taken."""
        with self._changed:
            if self.streams >= MOST_STREAMS:
                return False
            self.streams += 1
            self.begin()
            return True

    def begin(self) -> None:
        """Look from now on, if it does not yet."""
        with self._changed:
            if not self._started:
                self._started = True
                threading.Thread(target=self._poll, name="changes", daemon=True).start()

    def leave(self) -> None:
        with self._changed:
            self.streams -= 1

    def wait(self, seen: int, timeout: float) -> int:
        """The version now; waits for one that differs from `seen`."""
        with self._changed:
            if self._version == seen:
                self._changed.wait(timeout)
            return self._version

    def _poll(self) -> None:
        connection = connect(self._folder)
        last = None
        while True:
            try:
                version = connection.execute("PRAGMA data_version").fetchone()[0]
            except sqlite3.Error:
                version = last
            if version != last:
                last = version
                with self._changed:
                    self._version += 1
                    self._changed.notify_all()
            time.sleep(LOOK_S)


@live.get("/events")
@declared("listEvents", "Events after an id", page("Event"), PROJECT, LIMIT, AFTER)
def list_events() -> Response:
    """Events after an id, oldest first; without one none, and in `next` the id from which on they
    are new."""
    project = project_asked()
    if "after" not in request.args:
        return json_answer({"items": [], "next": str(events.last_id(database()))})
    after = whole("after", 0)
    items = events.after(database(), project.id, after, limit())
    return json_answer({"items": items, "next": str(items[-1]["id"] if items else after)})


@live.get("/events/stream")
@declared("followEvents", "Events as they happen", None, PROJECT, AFTER, media="text/event-stream")
def stream() -> Response:
    """The same as server-sent events: after `Last-Event-ID`, which a browser sends that takes its
    stream up again, else after `?after=`, else from now on."""
    project = project_asked()
    watcher: Watcher = current_app.config["WATCHER"]
    last = request.headers.get("Last-Event-ID", "")
    if last.isascii() and last.isdigit() and len(last) < 18:
        begin = int(last)
    else:
        begin = whole("after", 0) if "after" in request.args else events.last_id(database())
    if not watcher.enter():
        return problem(
            503, "streams", "All streams are taken; ask /events?after= every two seconds instead."
        )
    folder, asking = Path(current_app.config["FOLDER"]), caller(database())
    told = _follow(watcher, folder, project.id, begin, asking)
    answer = Response(told, content_type="text/event-stream")
    answer.headers["Cache-Control"] = "no-store"
    answer.call_on_close(watcher.leave)
    return answer


def _follow(
    watcher: Watcher, folder: Path, project: int, after: int, asking: Caller
) -> Iterator[bytes]:
    """Until the client goes, or may no more look at the project: a session that ends, and a part
    that is taken away, are changes of the database, which wake each stream."""
    connection = connect(folder)
    seen = -1
    try:
        yield b"retry: 1000\n\n"
        while True:
            seen = watcher.wait(seen, BEAT_S)
            now = asking.still(connection)
            if now is None or "read" not in held_in(connection, now, project):
                return
            fresh = events.after(connection, project, after)
            for event in fresh:
                after = event["id"]
                yield b"id: %d\ndata: %s\n\n" % (after, plain.write_json(event))
            if not fresh:
                yield b": beat\n\n"
    finally:
        connection.close()
