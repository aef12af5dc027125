"""Shared by the tests: a server of bare sockets, for what no library's server would send."""

from __future__ import annotations

import socket
import threading
from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def raw_server(answer: Callable[[socket.socket], None]) -> Iterator[tuple[str, socket.socket]]:
    """Its address and what it listens on; each connection is answered in a thread of its own."""
    listening = socket.create_server(("127.0.0.1", 0))

    def serve() -> None:
        while True:
            try:
                connection, _ = listening.accept()
            except OSError:
                return
            connection.setsockopt(socket.IPPROTO_TCP, socket.TCP_NODELAY, 1)
            threading.Thread(target=answer, args=(connection,), daemon=True).start()

    threading.Thread(target=serve, daemon=True).start()
    try:
        yield f"http://127.0.0.1:{listening.getsockname()[1]}", listening
    finally:
        listening.close()


def next_head(connection: socket.socket, octets: bytes) -> tuple[bytes, bytes]:
    """The next request's head without its empty line, and what came behind it; empty where the
    client is gone."""
    while b"\r\n\r\n" not in octets:
        more = connection.recv(65536)
        if not more:
            return b"", b""
        octets += more
    head, _, rest = octets.partition(b"\r\n\r\n")
    return head, rest
