"""E5: two runners against one, in the whole application, with a server that answers after 5 ms."""

from __future__ import annotations

import asyncio
import multiprocessing
import statistics
import time
from typing import Any

from bench.application import Application
from bench.nginx import BODY
from bench.sides import CASE, STEPS, line
from saltpath.core.format.source import read_source

CASES, JOBS, ROUNDS, ANSWER_AFTER_S = 60, 16, 5, 0.005
ANSWER = (
    f"HTTP/1.1 200 OK\r\nContent-Type: application/json\r\nContent-Length: {len(BODY)}\r\n"
    f"\r\n{BODY}"
).encode()


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


def _cases() -> list[dict[str, Any]]:
    """Cases of 50 steps."""
    document = {
        name: value for name, value in read_source(CASE).root.data().items() if name != "key"
    }
    return [document] * CASES


def _two_runs(app: Application) -> float:
    """Exchanges a second of two runs that are asked for together."""
    begun = time.perf_counter()
    asked = [app.ask("/runs", {"project": app.project, "jobs": JOBS})["id"] for _ in range(2)]
    while any(
        app.ask(f"/runs?project={app.project}&limit=2")["items"][at]["state"] != "finished"
        for at in (0, 1)
    ):
        time.sleep(0.02)
    assert all(app.ask(f"/runs/{run}")["verdict"] == "passed" for run in asked)
    return 2 * CASES * STEPS / (time.perf_counter() - begun)


def e5() -> None:
    """Both sides in turn; two runs each, which one runner carries out one after another and two
    side by side."""
    ours, theirs = multiprocessing.Pipe()
    server = multiprocessing.Process(target=_serve, args=(theirs,), daemon=True)
    server.start()
    address = f"http://127.0.0.1:{ours.recv()}/port-calls/PC-20931"
    one, two = Application(address, 1, _cases()), Application(address, 2, _cases())
    try:
        rates = [(_two_runs(one), _two_runs(two)) for _ in range(ROUNDS)]
    finally:
        one.close()
        two.close()
        server.terminate()
    ratio = statistics.median(b / a for a, b in rates)
    single, double = (statistics.median(side) for side in zip(*rates, strict=True))
    line(
        "E5",
        f"{ratio:.2f}",
        ">= 1.7",
        ratio >= 1.7,
        f"{double:,.0f}/s with two runners, {single:,.0f}/s with one",
    )


if __name__ == "__main__":
    e5()
