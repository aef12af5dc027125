"""The web server's side that strangers reach first: waitress, with limits that stand before
anything is read.

- A body's limit is that of its address (limits.py), known from its head: one that is too large is
  answered before it comes.
- What still comes of a body that was refused is read and thrown away for a while: a client that is
  sending when its connection is cut sees the cut, and never the answer.
- A request that comes too slowly is ended, whether its head or its body.
- When all connections are taken, those on which nothing is asked go first, the longest silent ones
  before others.
- TLS, where it is spoken here, is spoken without waiting for anybody (tls.py).
"""

from __future__ import annotations

import contextlib
import socket
import ssl
import threading
import time
from typing import Any

from waitress.adjustments import Adjustments
from waitress.channel import HTTPChannel
from waitress.parser import HTTPRequestParser
from waitress.server import TcpWSGIServer
from waitress.task import ErrorTask, ThreadedTaskDispatcher

from saltpath.server.limits import largest_body
from saltpath.tls import Certificates, Files

THREADS = 80
"""32 may follow events (live.py), 32 wait for the ends of runs (waiting.py)."""
MOST_CONNECTIONS = 500
IDLE_S = 120
HEAD_S = 20.0
"""For a head, and for a body on top of its share."""
LEAST_RATE = 20_000
"""Bytes of a body in a second, since it began."""
LOOK_S = 1
DROPPED_AT_ONCE = 50
LONGEST_HEAD = 64_000
LINGER_S = 20.0
"""For what still comes after a refusal."""
RECORD = 16_384
"""Octets of a record of TLS (RFC 8446, 5.1): who reads so many at once leaves none behind of which
the system does not know."""
_WAITS = (ssl.SSLWantReadError, ssl.SSLWantWriteError)


class _Limited:
    """The server's adjustments with another limit for bodies."""

    def __init__(self, adjustments: Any, most: int) -> None:
        self._adjustments = adjustments
        self.max_request_body_size = most

    def __getattr__(self, name: str) -> Any:
        return getattr(self._adjustments, name)


class Parser(HTTPRequestParser):  # type: ignore[misc]
    """One request; a body that is larger than its address takes is left to the application to
    refuse, unread. Whatever comes behind its head is that body and no further request, so nothing
    is read from the connection after the answer."""

    adj: Any
    content_length: int
    unread = False
    """Its body was refused by its length."""

    def parse_header(self, header_plus: bytes) -> None:
        super().parse_header(header_plus)
        most = largest_body(str(self.path))
        self.adj = _Limited(self.adj, most + 1)
        if self.content_length > most:
            self.unread = True
            self.body_rcv = (
                None  # the application refuses it by its length; what comes of it is not taken
            )
            self.content_length = 0
            self.expect_continue = False
            self.headers["CONNECTION"] = "close"
            self.connection_close = True


PLAIN = "default-src 'none'; frame-ancestors 'none'"
BARE: list[tuple[str, str]] = [
    ("Content-Type", "text/plain; charset=utf-8"),
    ("Content-Security-Policy", PLAIN),
    ("X-Content-Type-Options", "nosniff"),
    ("Referrer-Policy", "no-referrer"),
    ("Cache-Control", "no-store"),
]
"""The head of an answer to what is no request."""


class Unreadable(ErrorTask):  # type: ignore[misc]
    """The answer to what is no request; it says nothing of what answers."""

    def execute(self) -> None:
        error = self.request.error
        body = f"{error.reason}\r\n".encode()
        self.status = f"{error.code} {error.reason}"
        self.response_headers.extend(BARE)
        self.set_close_on_finish()
        self.content_length = len(body)
        self.write(body)


class Speaking(ssl.SSLSocket):
    """A connection by TLS. One thread reads what comes, others send answers, and the library may
    not do both at once."""

    turn: threading.Lock

    def recv(self, buflen: int = 1024, flags: int = 0) -> bytes:
        with self.turn:
            return super().recv(buflen, flags)

    def send(self, data: Any, flags: int = 0) -> int:
        with self.turn:
            return super().send(data, flags)


class _NotYet(Exception):
    """What came is no whole record of TLS."""


class Channel(HTTPChannel):  # type: ignore[misc]
    """One connection."""

    parser_class = Parser
    error_task_class = Unreadable
    began: float | None = None
    """When the request that has not come whole yet began (monotonic seconds)."""
    refused = False
    """A request's body was refused; this connection is closed behind the answer."""
    lingering: float | None = None
    """Since when only what still comes of that body is read (monotonic seconds)."""

    def recv(self, buffer_size: int) -> bytes:
        try:
            return bytes(super().recv(buffer_size))
        except _WAITS:
            raise _NotYet from None
        except ssl.SSLError:  # it speaks no TLS, or has gone
            self.handle_close()
            return b""

    def send(self, data: bytes, do_close: bool = True) -> int:
        try:
            return int(super().send(data, do_close))
        except _WAITS:
            return 0
        except ssl.SSLError:
            if do_close:
                self.handle_close()
            return 0

    def received(self, data: bytes) -> bool:
        taken = bool(super().received(data))
        self.refused = self.refused or any(
            request.unread or request.error for request in self.requests
        )
        if self.request is None:
            self.began = None
        elif self.began is None:
            self.began = time.monotonic()
        return taken

    def readable(self) -> bool:
        return self.lingering is not None or bool(super().readable())

    def handle_read(self) -> None:
        with contextlib.suppress(_NotYet):
            if self.lingering is None:
                super().handle_read()
                return
            try:
                self.recv(self.adj.recv_bytes)  # closes the connection at its end
            except OSError:
                self.handle_close()

    def handle_close(self) -> None:
        if self.refused and self.lingering is None and self.connected:
            self.lingering = time.monotonic()
            self.will_close = self.close_when_flushed = False
            with contextlib.suppress(OSError):
                self.socket.shutdown(socket.SHUT_WR)
                return
        super().handle_close()

    @property
    def silent(self) -> bool:
        """Whether nothing is asked on it, or being answered."""
        return bool(not self.requests and self.total_outbufs_len == 0)

    def too_slow(self, now: float) -> bool:
        if self.lingering is not None:
            return now - self.lingering > LINGER_S
        if self.began is None or self.request is None:
            return False
        return bool(now - self.began > HEAD_S + self.request.body_bytes_received / LEAST_RATE)


class Server(TcpWSGIServer):  # type: ignore[misc]
    """Listens at one address."""

    channel_class = Channel
    certificates: Certificates | None = None
    """By which it speaks TLS; None: it does not."""

    def accept(self) -> Any:
        found = super().accept()
        if found is None or self.certificates is None:
            return found
        connection, address = found
        connection.setblocking(False)
        context = self.certificates.context()
        context.sslsocket_class = Speaking
        wrapped: Any = context.wrap_socket(
            connection, server_side=True, do_handshake_on_connect=False
        )
        wrapped.turn = threading.Lock()
        return wrapped, address

    def readable(self) -> bool:
        if len(self._map) >= self.adj.connection_limit:
            self._make_room()
        return bool(super().readable())

    def _make_room(self) -> None:
        silent = sorted(
            (c for c in self.active_channels.values() if c.silent), key=lambda c: c.last_activity
        )
        for channel in silent[:DROPPED_AT_ONCE]:
            channel.handle_close()

    def maintenance(self, now: float) -> None:
        super().maintenance(now)
        moment = time.monotonic()
        for channel in self.active_channels.values():
            if channel.too_slow(moment):
                channel.will_close = True


FORWARDED = {"x-forwarded-for", "x-forwarded-proto", "x-forwarded-host"}
"""What a proxy that is trusted says of who asks; from nobody else it counts."""


def serve(
    app: Any,
    host: str,
    port: int,
    trusted_proxy: str = "",
    tls: Files | None = None,
    **adjusted: Any,
) -> None:
    """Serve until the process ends. `trusted_proxy`: the address of the one proxy before it, whose
    word counts for who asks, and how; `tls`: by which TLS is spoken here. Raises
    CertificateProblem."""
    certificates = None if tls is None else Certificates(tls)
    if certificates is not None:
        adjusted |= {"url_scheme": "https", "recv_bytes": 4 * RECORD}
    if trusted_proxy:
        adjusted |= {"trusted_proxy": trusted_proxy, "trusted_proxy_headers": FORWARDED}
    else:  # what comes by a proxy that was not named must not look as if it came from here
        adjusted["clear_untrusted_proxy_headers"] = False
    adjustments = Adjustments(
        host=host,
        port=port,
        threads=THREADS,
        channel_timeout=IDLE_S,
        cleanup_interval=LOOK_S,
        ident=None,
        connection_limit=MOST_CONNECTIONS,
        channel_request_lookahead=1,
        max_request_header_size=LONGEST_HEAD,
        asyncore_use_poll=True,
        **adjusted,
    )
    sockets: dict[int, Any] = {}
    dispatcher = ThreadedTaskDispatcher()
    dispatcher.set_thread_count(adjustments.threads)
    servers = [
        Server(app, sockets, dispatcher=dispatcher, adj=adjustments, sockinfo=place)
        for place in adjustments.listen
    ]
    for server in servers:
        server.certificates = certificates
    servers[-1].run()
