"""Shared by the tests: a small server on loopback that gives fixed answers."""

from __future__ import annotations

import threading
from collections.abc import Iterator
from contextlib import contextmanager
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer


class Handler(BaseHTTPRequestHandler):
    """Keeps connections, sends an answer in one piece (in two, it waits 40 ms for the client's word
    in between), says nothing."""

    protocol_version = "HTTP/1.1"
    wbufsize = 65536
    disable_nagle_algorithm = True

    def log_message(self, format: str, *args: object) -> None:
        pass

    def give(self, body: bytes, media: str = "application/json", status: int = 200) -> None:
        self.send_response(status)
        self.send_header("Content-Type", media)
        self.send_header("Content-Length", str(len(body)))
        self.end_headers()
        self.wfile.write(body)


@contextmanager
def answering(bodies: dict[str, bytes], media: str = "application/json") -> Iterator[str]:
    """Its address, while each path gives its body."""

    class Given(Handler):
        def do_GET(self) -> None:
            self.give(bodies[self.path], media)

    with serving(Given) as address:
        yield address


@contextmanager
def serving(handler: type[BaseHTTPRequestHandler]) -> Iterator[str]:
    """The address of a server on loopback that answers by the handler."""
    server = ThreadingHTTPServer(("127.0.0.1", 0), handler)
    server.daemon_threads = True
    threading.Thread(target=server.serve_forever, args=(0.02,), daemon=True).start()
    try:
        yield f"http://127.0.0.1:{server.server_address[1]}"
    finally:
        server.shutdown()
        server.server_close()
