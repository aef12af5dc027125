"""Shared by the tests: the whole application (supervisor, web, runners, writer) with the
demonstration in a fresh folder."""

from __future__ import annotations

import json
import os
import random
import re
import shutil
import signal
import socket
import subprocess
import sys
import tempfile
import time
import urllib.error
import urllib.request
from contextlib import ExitStack, closing
from pathlib import Path
from typing import Any

from saltpath.demo.harbour.feeds import CALM
from saltpath.store import people
from saltpath.store.database import connect, migrate

# How long a test waits for what has to come. A test that passes never waits so long; a machine that
# stands still for seconds at a time, which shared ones do, must not fail one. What is promised
# within a time gives its own.
PATIENCE_S = float(os.environ.get("PATIENCE_S", "45"))

# A folder in which the demonstration's first run has ended, to begin from; without it each
# application begins anew.
BEGUN = os.environ.get("SALTPATH_TESTS_BEGUN", "")


# Below what systems give to connections that go out: between the choice and the listening none of
# them takes it.
PORTS = range(10_240, 32_000)


def free_port(*also: int) -> int:
    """A port that is free together with those that lie `also` behind it."""
    while True:
        port = random.SystemRandom().choice(PORTS)
        with ExitStack() as probes:
            try:
                for behind in (0, *also):
                    probes.enter_context(socket.socket()).bind(("127.0.0.1", port + behind))
            except OSError:
                continue
            return port


def two_free_ports() -> int:
    """A port that is free together with the one ten behind it, where the live harbour listens."""
    return free_port(10)


def without_sign_in(folder: Path) -> Path:
    """A data folder whose owner said that nobody else opens the pages on this machine."""
    migrate(folder)
    with closing(connect(folder)) as store:
        people.set_alone(store, True)
    return folder


class Application:
    """`with Application() as app`: `app.address`, `app.get(...)`, `app.post(...)`. With `sign_in`
    it lets in only who has signed in, as `app.ask` has, by the link that the demonstration
    prints. With `past` it has the thirty days behind it that the demonstration's cases have, and a
    harbour that takes its time."""

    def __init__(self, sign_in: bool = False, past: bool = False) -> None:
        self._sign_in, self._past = sign_in, past
        self.cookie = ""
        self._folder = tempfile.TemporaryDirectory()
        self.data = Path(self._folder.name) / "data"
        self.port, self.harbour_port = free_port(), two_free_ports()
        self.address = f"http://127.0.0.1:{self.port}"

    def __enter__(self) -> Application:
        if BEGUN and not self._past:
            shutil.copytree(BEGUN, self.data)
        migrate(self.data)
        with closing(connect(self.data)) as store:
            people.set_alone(store, not self._sign_in)
        self.log = (Path(self._folder.name) / "log").open("w+")
        self.start()
        self.wait(lambda: self.get("/health"))
        if self._sign_in:
            self.cookie = self.signed_in_by(self.wait(self.link))
        self.project, self.troubles = (
            project["id"] for project in self.get("/projects")["items"][:2]
        )
        return self

    def start(self) -> None:
        """Start the supervisor, also once more."""
        command = [
            sys.executable,
            "-m",
            "saltpath.cli",
            "demo",
            "--data",
            str(self.data),
            "--port",
            str(self.port),
            "--harbour-port",
            str(self.harbour_port),
        ]
        calm = {CALM: "" if self._past else "1"}
        self.process = subprocess.Popen(
            command, stdout=self.log, stderr=subprocess.STDOUT, env=os.environ | calm
        )

    def link(self) -> str:
        """The token of the link that the demonstration has printed last; empty: none yet."""
        self.log.flush()
        found = re.findall(r"/enter#(\S+)\n", Path(self.log.name).read_text())
        return found[-1] if found else ""

    def signed_in_by(self, token: str) -> str:
        """The cookie of a session that a link of somebody known begins."""
        status, headers, body = self.ask("POST", "/links/use", {"token": token}, Cookie="")
        assert status == 200, body
        return headers["Set-Cookie"].partition(";")[0]

    def __exit__(self, *_: object) -> None:
        self.stop()
        self._folder.cleanup()

    def stop(self) -> None:
        self.process.send_signal(signal.SIGTERM)
        self.process.wait(PATIENCE_S)
        self.log.close()

    def wait(self, probe, seconds: float = PATIENCE_S) -> Any:
        """What `probe` gives once it gives something; it may raise while it does not."""
        end = time.monotonic() + seconds
        while True:
            try:
                found = probe()
                if found:
                    return found
            except (OSError, AssertionError, LookupError):
                pass
            if time.monotonic() > end:
                self.log.flush()
                raise AssertionError(
                    "waited in vain; the log says: " + Path(self.log.name).read_text()[-2000:]
                )
            time.sleep(0.02)

    def ask(
        self, method: str, path: str, body: Any = None, **headers: str
    ) -> tuple[int, dict[str, str], Any]:
        """(status, headers, JSON) of any call."""
        data = json.dumps(body).encode() if body is not None else None
        given = {"Content-Type": "application/json"} if data is not None else {}
        given["Origin"] = self.address
        if self.cookie:
            given["Cookie"] = self.cookie
        given |= {name.replace("_", "-"): value for name, value in headers.items()}
        request = urllib.request.Request(f"{self.address}/api/v1{path}", data, given, method=method)
        try:
            with urllib.request.urlopen(request, timeout=PATIENCE_S) as answer:
                raw = answer.read()
                is_json = "json" in answer.headers.get("Content-Type", "")
                return answer.status, dict(answer.headers), json.loads(raw) if is_json else raw
        except urllib.error.HTTPError as error:
            return error.code, dict(error.headers), json.loads(error.read() or b"{}")

    def get(self, path: str) -> Any:
        status, _, body = self.ask("GET", path)
        assert status == 200, (path, status, body)
        return body

    def cases(self, project: str = "") -> dict[str, str]:
        """Case ids by name, of Fernholm Harbour unless another project is said."""
        suites = self.get(f"/suites?project={project or self.project}")["items"]
        return {case["name"]: case["id"] for suite in suites for case in suite["cases"]}

    def run(self, seconds: float = PATIENCE_S, **asked: Any) -> dict[str, Any]:
        """Ask for a run and wait for its end."""
        status, _, run = self.ask("POST", "/runs", {"project": self.project, **asked})
        assert status == 201, run
        return self.finished(run["id"], seconds)

    def finished(self, run: str, seconds: float = PATIENCE_S) -> dict[str, Any]:
        def probe() -> Any:
            found = self.get(f"/runs/{run}")
            return found if found["state"] == "finished" else None

        return self.wait(probe, seconds)

    def children(self) -> dict[str, list[int]]:
        """Process ids of web, writer, keeper, watcher, courier and runners."""
        found: dict[str, list[int]] = {
            "web": [],
            "writer": [],
            "keeper": [],
            "runner": [],
            "watcher": [],
            "courier": [],
        }
        children = (
            Path(f"/proc/{self.process.pid}/task/{self.process.pid}/children").read_text().split()
        )
        for child in children:
            try:
                name = Path(f"/proc/{child}/comm").read_text().strip().removeprefix("saltpath-")
            except OSError:
                continue
            for kind in found:
                if name and kind.startswith(name):  # the system cuts names
                    found[kind].append(int(child))
        return found

    def kill(self, kind: str) -> None:
        for process in self.children()[kind]:
            os.kill(process, signal.SIGKILL)


def begin(folder: Path) -> None:
    """Let the demonstration begin, and put what it has when its first run has ended into the
    folder, for `BEGUN`."""
    with Application() as app:
        app.finished(app.get(f"/runs?project={app.project}")["items"][0]["id"])
        app.stop()
        shutil.copytree(app.data, folder, ignore=shutil.ignore_patterns("*.sock"))
