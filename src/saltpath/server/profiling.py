"""What a whole file of rows holds, looked through by a process of its own, which says how far it
is; remembered by the file's version."""

from __future__ import annotations

import contextlib
import os
import resource
import subprocess
import sys
import threading
import time
from collections import OrderedDict
from pathlib import Path
from typing import Any, BinaryIO

from msgspec import Struct, field

from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.format.project import read_project
from saltpath.core.tables.profile import ColumnProfile, Profile, profile
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked
from saltpath.formats.rows import read_table
from saltpath.server.api.views import cell_text
from saltpath.server.limits import MOST_MEMORY
from saltpath.store import project_files
from saltpath.store.database import connect

MOST_AT_ONCE = 2
MOST_KEPT = 64
LONGEST_S = 1_800
SAYS_EVERY_S = 0.5
_lock = threading.Lock()
_known: OrderedDict[tuple[str, int, str], ProfileTask] = OrderedDict()


class ProfileTask(Struct):
    """A look through a file that is under way, or done. `said`: what it said last, as
    `profile_view` with `state`."""

    said: dict[str, Any] = field(default_factory=lambda: {"state": "waiting", "rows": 0})
    process: subprocess.Popen[bytes] | None = None


def looked_through(folder: Path, project: int, version: int, document: Any) -> dict[str, Any]:
    """What is known of a file's version read as this source: `state` waiting, looking, done or
    broken off, and what was seen."""
    text = plain.write_json(document).decode()
    key = (str(folder), version, text)
    with _lock:
        task = _known.get(key)
        if task is None:
            task = _known[key] = ProfileTask()
            while len(_known) > MOST_KEPT:
                _, old = _known.popitem(last=False)
                if old.process is not None:
                    old.process.kill()
        _known.move_to_end(key)
        busy = sum(item.process is not None for item in _known.values())
        if task.process is None and task.said["state"] == "waiting" and busy < MOST_AT_ONCE:
            words = [
                sys.executable,
                "-m",
                "saltpath.processes",
                "profile",
                str(folder),
                str(project),
                str(version),
            ]
            task.process = subprocess.Popen(
                words, stdin=subprocess.PIPE, stdout=subprocess.PIPE, stderr=subprocess.DEVNULL
            )
            threading.Thread(target=_listen, args=(task, task.process, text), daemon=True).start()
    return task.said


def _listen(task: ProfileTask, process: subprocess.Popen[bytes], document: str) -> None:
    """Hand the process the source's document, which is as long as it likes, and note what it
    says."""
    assert process.stdout is not None and process.stdin is not None
    with contextlib.suppress(OSError), process.stdin as asked:
        asked.write(document.encode())
    with process.stdout as out:
        for line in out:
            task.said = plain.read_json(line)
    process.wait()
    if task.said["state"] != "done":
        task.said = {**task.said, "state": "broken off"}
    task.process = None


def main(folder: Path, project: int, version: int) -> None:
    """The process: reads the source's document, looks, and writes a line of JSON now and then."""
    os.nice(5)
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY, MOST_MEMORY))
    source = source_in(plain.read_json(sys.stdin.buffer.read()))
    connection = connect(folder, "main")
    said, begun = time.monotonic(), time.monotonic()

    def counted(rows: Any) -> Any:
        nonlocal said
        for number, row in enumerate(rows, 1):
            if not number & 1023 and (now := time.monotonic()) - said > SAYS_EVERY_S:
                said = now
                _say({"state": "looking", "rows": number})
                if now - begun > LONGEST_S:
                    raise Unreadable("this took longer than half an hour")
            yield row

    with project_files.opener(connection, project, {source.file: version})(source.file) as file:
        _say({"state": "done", **profiled(file, source, None, counted)})


def _say(what: dict[str, Any]) -> None:
    sys.stdout.buffer.write(plain.write_json(what) + b"\n")
    sys.stdout.buffer.flush()


def source_in(document: Any) -> FileRows:
    """A source of a file, of its document. Raises FormatError."""
    source = read_project(
        {"salt-path": 1, "project": "looked at", "sources": {"it": document}}
    ).sources["it"]
    assert isinstance(source, FileRows)
    return source


def profiled(
    file: BinaryIO, source: FileRows, most: int | None, through: Any = iter
) -> dict[str, Any]:
    """What a file holds, as it is shown; of a file that breaks off, what was read until then, and
    the reason."""
    seen: list[str] = []

    def rows(table_rows: Any) -> Any:
        try:
            yield from through(table_rows)
        except (Unreadable, Blocked) as problem:
            seen.append(str(problem))

    table = read_table(file, source)
    found = profile(table.names, rows(table.rows), source.columns, most)
    return {**profile_view(found), "problem": seen[0] if seen else ""}


def profile_of_rows(names: list[str], rows: list[Row]) -> dict[str, Any]:
    """The same of rows that no file holds."""
    return {**profile_view(profile(names, rows)), "problem": ""}


def profile_view(found: Profile) -> dict[str, Any]:
    return {
        "rows": found.rows,
        "whole": found.whole,
        "bad": [{"row": row, "sentence": sentence} for row, sentence in found.bad],
        "badCount": found.bad_count,
        "columns": [_column(column) for column in found.columns],
    }


def _column(column: ColumnProfile) -> dict[str, Any]:
    return {
        "name": column.name,
        "kind": column.kind,
        "fits": column.fits,
        "withComma": column.with_comma,
        "filled": sum(column.kinds.values()),
        "empties": column.empties,
        "distinct": len(column.values),
        "more": column.overflown,
        "common": [{"text": text, "times": times} for text, times in column.common],
        "least": cell_text(column.least),
        "most": cell_text(column.most),
        "misfits": [{"row": row, "text": text} for row, text in column.misfits],
        "misfitCount": column.misfit_count,
    }
