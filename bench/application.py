"""The whole application in a folder of its own, for what is measured of it."""

from __future__ import annotations

import json
import multiprocessing.connection
import signal
import sqlite3
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from saltpath.store import cases, people, project_files, projects, sessions
from saltpath.store.database import connect, migrate


class Application:
    """The whole of it with so many runners, and a project with cases and files; so many readers are
    signed in beside its owner."""

    def __init__(
        self,
        address: str,
        runners: int,
        documents: list[dict[str, Any]],
        files: dict[str, Path] | None = None,
        readers: int = 0,
    ) -> None:
        self._folder = tempfile.TemporaryDirectory()
        data = Path(self._folder.name)
        migrate(data)
        connection = connect(data)
        owner = people.local_owner(connection).id
        values = {"harbour": address}
        project = projects.add_project(
            connection, owner, {"salt-path": 1, "project": "Bench", "values": values}
        )
        suite = projects.add_suite(
            connection, project.id, owner, "s", {"salt-path": 1, "suite": "S"}
        )
        for path, file in (files or {}).items():
            with file.open("rb") as stream:
                project_files.put_stream(connection, project.id, owner, path, stream)
        self.cases = [
            cases.add_case(connection, project.id, suite.id, owner, document).oid
            for document in documents
        ]
        self.cookie = self.signed_in(connection, people.person_by_id(connection, owner))
        self.readers = []
        for number in range(readers):
            reader = people.add_person(connection, f"Reader {number}", f"reader-{number}")
            people.set_role(connection, project.id, reader, "viewer", owner)
            self.readers.append(self.signed_in(connection, reader))
        connection.close()
        self.project = project.oid
        with multiprocessing.connection.Listener(("127.0.0.1", 0)) as probe:
            self.port = probe.address[1]
        command = [
            sys.executable,
            "-m",
            "saltpath.cli",
            "serve",
            "--data",
            str(data),
            "--port",
            str(self.port),
            "--runners",
            str(runners),
        ]
        self._process = subprocess.Popen(
            command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL
        )
        while True:
            try:
                self.ask("/health")
                break
            except OSError:
                time.sleep(0.1)

    def signed_in(self, connection: sqlite3.Connection, person: people.Person) -> str:
        """The token of a session of somebody's."""
        return sessions.begin(connection, person, "", "", "password")[1]

    def headers(self, token: str) -> dict[str, str]:
        """What a browser sends in which that session was begun."""
        origin = f"http://127.0.0.1:{self.port}"
        return {"Cookie": f"saltpath-{self.port}={token}", "Origin": origin}

    def ask(self, path: str, body: Any = None) -> Any:
        data = None if body is None else json.dumps(body).encode()
        headers = {"Content-Type": "application/json", **self.headers(self.cookie)}
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/api/v1{path}", data, headers
        )
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.load(answer)

    def pids(self, kind: str) -> list[int]:
        """The process ids of the application's processes of a kind: web, runner, writer or
        keeper."""
        children = (
            Path(f"/proc/{self._process.pid}/task/{self._process.pid}/children").read_text().split()
        )
        return [
            int(pid)
            for pid in children
            if Path(f"/proc/{pid}/comm").read_text() == f"saltpath-{kind}\n"
        ]

    def close(self) -> None:
        self._process.send_signal(signal.SIGTERM)
        self._process.wait(30)
        self._folder.cleanup()
