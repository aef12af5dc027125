"""E5: two runners against one, in the whole application, with a server that answers after 5 ms."""

from __future__ import annotations

import asyncio
import json
import multiprocessing
import multiprocessing.connection
import signal
import statistics
import subprocess
import sys
import tempfile
import time
import urllib.request
from pathlib import Path
from typing import Any

from bench.nginx import BODY
from bench.sides import CASE, STEPS, line
from saltpath.core.format.source import read_source
from saltpath.store import cases, people, projects
from saltpath.store.database import connect, migrate

CASES, JOBS, ROUNDS, ANSWER_AFTER_S = 60, 16, 5, 0.005
ANSWER = f"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: {len(BODY)}\r\n\r\n{BODY}".encode()


class _Slow(asyncio.Protocol):
    """Answers each request that ends within what came, 5 ms later."""

    def connection_made(self, transport: Any) -> None:
        self._transport = transport

    def data_received(self, data: bytes) -> None:
        asyncio.get_running_loop().call_later(ANSWER_AFTER_S, self._transport.write, ANSWER)


def _serve(port: Any) -> None:
    async def run() -> None:
        server = await asyncio.get_running_loop().create_server(_Slow, "127.0.0.1", 0)
        port.send(server.sockets[0].getsockname()[1])
        await server.serve_forever()

    asyncio.run(run())


class Application:
    """The whole of it with so many runners, and a project of cases of 50 steps."""

    def __init__(self, address: str, runners: int) -> None:
        self._folder = tempfile.TemporaryDirectory()
        data = Path(self._folder.name)
        migrate(data)
        connection = connect(data)
        owner = people.local_owner(connection).id
        values = {"harbour": address}
        project = projects.add_project(connection, owner, {"salt-path": 1, "project": "Bench", "values": values})
        suite = projects.add_suite(connection, project.id, owner, "s", {"salt-path": 1, "suite": "S"})
        document = {name: value for name, value in read_source(CASE).root.data().items() if name != "key"}
        for _ in range(CASES):
            cases.add_case(connection, project.id, suite.id, owner, document)
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
        self._process = subprocess.Popen(command, stdout=subprocess.DEVNULL, stderr=subprocess.DEVNULL)
        while True:
            try:
                self.ask("/health")
                break
            except OSError:
                time.sleep(0.1)

    def ask(self, path: str, body: Any = None) -> Any:
        data = None if body is None else json.dumps(body).encode()
        request = urllib.request.Request(
            f"http://127.0.0.1:{self.port}/api/v1{path}", data, {"Content-Type": "application/json"}
        )
        with urllib.request.urlopen(request, timeout=60) as answer:
            return json.load(answer)

    def two_runs(self) -> float:
        """Exchanges a second of two runs that are asked for together."""
        begun = time.perf_counter()
        asked = [self.ask("/runs", {"project": self.project, "jobs": JOBS})["id"] for _ in range(2)]
        while any(
            self.ask(f"/runs?project={self.project}&limit=2")["items"][at]["state"] != "finished" for at in (0, 1)
        ):
            time.sleep(0.02)
        assert all(self.ask(f"/runs/{run}")["verdict"] == "passed" for run in asked)
        return 2 * CASES * STEPS / (time.perf_counter() - begun)

    def close(self) -> None:
        self._process.send_signal(signal.SIGTERM)
        self._process.wait(30)
        self._folder.cleanup()


def e5() -> None:
    """Both sides in turn; two runs each, which one runner carries out one after another and two side by side."""
    ours, theirs = multiprocessing.Pipe()
    server = multiprocessing.Process(target=_serve, args=(theirs,), daemon=True)
    server.start()
    address = f"http://127.0.0.1:{ours.recv()}/port-calls/PC-20931"
    one, two = Application(address, 1), Application(address, 2)
    try:
        rates = [(one.two_runs(), two.two_runs()) for _ in range(ROUNDS)]
    finally:
        one.close()
        two.close()
        server.terminate()
    ratio = statistics.median(b / a for a, b in rates)
    single, double = (statistics.median(side) for side in zip(*rates, strict=True))
    line("E5", f"{ratio:.2f}", ">= 1.7", ratio >= 1.7, f"{double:,.0f}/s with two runners, {single:,.0f}/s with one")


if __name__ == "__main__":
    e5()
