"""The fault switches under /faults/: what a bad day looks like. Each writes raw bytes to the
connection and ends it.

Every one is bounded in size and time, so that a client that takes it all comes to no harm either.
"""

from __future__ import annotations

import gzip
import socket
import struct
import time
from collections.abc import Callable
from typing import BinaryIO

MB = 1_000_000
Query = dict[str, str]
Fault = Callable[[BinaryIO, Query, socket.socket], None]


def _head(extra: str, status: str = "200 OK", media_type: str = "application/json") -> bytes:
    return f"HTTP/1.1 {status}\r\nContent-Type: {media_type}\r\n{extra}\r\n".encode()


def _whole(
    out: BinaryIO,
    body: bytes,
    extra: str = "",
    status: str = "200 OK",
    media: str = "application/json",
) -> None:
    out.write(_head(f"{extra}Content-Length: {len(body)}\r\n", status, media) + body)


def _slow(out: BinaryIO, query: Query, _: socket.socket) -> None:
    time.sleep(min(int(query.get("ms", "2000")), 60_000) / 1000)
    _whole(out, b'{"late":true}')


def _broken(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, b'{"reason":"the quay is closed"}', status="500 Internal Server Error")


def _cut(out: BinaryIO, query: Query, connection: socket.socket) -> None:
    out.write(_head("Content-Length: 1000\r\n") + b'{"id":"PC-2')
    out.flush()
    connection.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))


def _hang_up(out: BinaryIO, query: Query, connection: socket.socket) -> None:
    connection.setsockopt(socket.SOL_SOCKET, socket.SO_LINGER, struct.pack("ii", 1, 0))


def _malformed(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, b'{"id": "PC-20931", "berth": {"name": "East 4"')


def _wrong_type(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, b"<html><body>Back soon</body></html>")


def _endless(out: BinaryIO, query: Query, _: socket.socket) -> None:
    out.write(_head(""))
    end = time.monotonic() + 20
    piece = b'{"tide":"high"},' * 4096
    sent = 0
    while time.monotonic() < end and sent < 2000 * MB:
        out.write(piece)
        sent += len(piece)


def _drip(out: BinaryIO, query: Query, _: socket.socket) -> None:
    """Byte by byte: one every 50 ms, for at most 20 s."""
    out.write(_head("Content-Length: 400\r\n"))
    for _number in range(400):
        out.write(b" ")
        out.flush()
        time.sleep(0.05)


def _bad_gzip(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, b"\x1f\x8b\x08\x00this is no gzip at all", "Content-Encoding: gzip\r\n")


def _cut_gzip(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, gzip.compress(b'{"id":"PC-20931"}' * 50)[:40], "Content-Encoding: gzip\r\n")


def _odd_encoding(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, b"salted", "Content-Encoding: brine\r\n")


def _bomb(out: BinaryIO, query: Query, _: socket.socket) -> None:
    """200 MB of blanks in about 200 kB: the same gzip member 200 times."""
    _whole(out, gzip.compress(b" " * MB, 9) * 200, "Content-Encoding: gzip\r\n")


def _deep(out: BinaryIO, query: Query, _: socket.socket) -> None:
    levels = min(int(query.get("levels", "100000")), 1_000_000)
    _whole(out, b"[" * levels + b"]" * levels)


def _long_headers(out: BinaryIO, query: Query, _: socket.socket) -> None:
    """200 kB of headers, in lines of 4 kB."""
    lines = "".join(f"X-Ballast-{number}: {'s' * 4000}\r\n" for number in range(50))
    _whole(out, b"{}", lines)


def _long_line(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, b"{}", f"X-Ballast: {'s' * 200_000}\r\n")


def _short(out: BinaryIO, query: Query, _: socket.socket) -> None:
    """Says 5,000 bytes and sends 20."""
    out.write(_head("Content-Length: 5000\r\n") + b'{"id":"PC-20931"    ')


def _not_http(out: BinaryIO, query: Query, _: socket.socket) -> None:
    out.write(b"220 fernholm.example harbour radio ready\r\n")


def _bad_length(out: BinaryIO, query: Query, _: socket.socket) -> None:
    out.write(_head("Content-Length: minus one\r\n") + b"{}")


def _bad_chunks(out: BinaryIO, query: Query, _: socket.socket) -> None:
    out.write(_head("Transfer-Encoding: chunked\r\n") + b"zz\r\n{}\r\n0\r\n\r\n")


def _loop(out: BinaryIO, query: Query, _: socket.socket) -> None:
    other = "loop-back" if query.get("_name") == "loop" else "loop"
    _whole(out, b"", f"Location: /faults/{other}\r\n", "302 Found")


def _many(out: BinaryIO, query: Query, _: socket.socket) -> None:
    number = int(query.get("n", "0")) + 1
    _whole(out, b"", f"Location: /faults/many-redirects?n={number}\r\n", "302 Found")


def _elsewhere(out: BinaryIO, query: Query, _: socket.socket) -> None:
    _whole(out, b"", "Location: file:///etc/hostname\r\n", "302 Found")


def _large(out: BinaryIO, query: Query, _: socket.socket) -> None:
    """A JSON list of about so many MB (10 unless told otherwise)."""
    size = min(int(query.get("mb", "10")), 60) * MB
    row = (
        b'{"code":"QUAY-%07d","text":"Quay dues by '
        b'length","amount":1318.40,"register":9007199254740993}'
    )
    count = size // (len(row) + 4)
    _whole(out, b"[" + b",\n".join(row % number for number in range(count)) + b"]")


_seen: dict[str, int] = {}


def _flaky(out: BinaryIO, query: Query, connection: socket.socket) -> None:
    """Hangs up as often as `times` says (twice), then answers; each `key` is counted by itself."""
    key = query.get("key", "")
    _seen[key] = _seen.get(key, 0) + 1
    if _seen[key] <= int(query.get("times", "2")):
        _hang_up(out, query, connection)
    else:
        _whole(out, b'{"tries":%d}' % _seen.pop(key))


def _busy(out: BinaryIO, query: Query, _: socket.socket) -> None:
    """503 with Retry-After as often as `times` says (once), then an answer."""
    key = "busy " + query.get("key", "")
    _seen[key] = _seen.get(key, 0) + 1
    if _seen[key] <= int(query.get("times", "1")):
        _whole(
            out,
            b'{"state":"busy"}',
            f"Retry-After: {query.get('after', '1')}\r\n",
            "503 Service Unavailable",
        )
    else:
        _whole(out, b'{"state":"free","tries":%d}' % _seen.pop(key))


def _entities(out: BinaryIO, query: Query, _: socket.socket) -> None:
    """XML whose entities grow a thousandfold with each level, and that asks for a file."""
    levels = "".join(f'<!ENTITY w{n} "{f"&w{n - 1};" * 10}">' for n in range(1, 10))
    _whole(
        out,
        '<!DOCTYPE t [<!ENTITY w0 "salt"><!ENTITY f SYSTEM '
        f'"file:///etc/hostname">{levels}]><t>&w9;&f;</t>'.encode(),
        media="application/xml",
    )


FAULTS: dict[str, Fault] = {
    "slow": _slow,
    "500": _broken,
    "cut": _cut,
    "hang-up": _hang_up,
    "malformed": _malformed,
    "wrong-type": _wrong_type,
    "endless": _endless,
    "drip": _drip,
    "bad-gzip": _bad_gzip,
    "cut-gzip": _cut_gzip,
    "odd-encoding": _odd_encoding,
    "bomb": _bomb,
    "deep": _deep,
    "long-headers": _long_headers,
    "long-line": _long_line,
    "short": _short,
    "not-http": _not_http,
    "bad-length": _bad_length,
    "bad-chunks": _bad_chunks,
    "loop": _loop,
    "loop-back": _loop,
    "many-redirects": _many,
    "redirect-elsewhere": _elsewhere,
    "large": _large,
    "flaky": _flaky,
    "busy": _busy,
    "entities": _entities,
}
