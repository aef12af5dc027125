"""The head that an exchange shows is, byte for byte, what the server got, also where libcurl was
not asked for it."""

from __future__ import annotations

import itertools
import re
import socket
import time
import unittest
from collections.abc import Iterator
from contextlib import contextmanager

from msgspec.structs import replace

from saltpath.core.answers.exchange import Exchange
from saltpath.core.cases.options import DEFAULTS
from saltpath.core.running.prepare import Prepared
from saltpath.engine.client import Client
from saltpath.engine.loop import Strand, run_in_loop
from saltpath.engine.quick.heads import Heads, sent_of
from tests.engine.raw import next_head, raw_server

METHODS = ("GET", "HEAD", "DELETE", "OPTIONS", "POST", "REPORT")
TARGETS = (
    "/",
    "/a",
    "/a/../b//c",
    "/berths?nights=2&q=a:b@c",
    "/a%2fb%2Fc",
    "/x?y=%C3%BC",
    "?only=query",
    "",
    "/{a}|b",
    "/~a;b=1,2",
)
LINES = (
    (("User-Agent", "saltpath"), ("Accept", "*/*")),
    (("X-Empty", ""), ("x-two", "1"), ("x-two", "2")),
    (("Authorization", "Bearer abc"), ("Cookie", "a=b")),
    (("Content-Type", "text/plain"), ("Host", "elsewhere.example")),
)


class Recorder:
    """A server that keeps the heads it gets. Where the path says so, its second answer on a
    connection never comes, or it is gone after this one."""

    def __init__(self) -> None:
        self.heads: list[bytes] = []
        self.address = ""
        self.listening: socket.socket

    def answer(self, connection: socket.socket) -> None:
        octets = b""
        for turn in itertools.count():
            head, octets = next_head(connection, octets)
            if not head:
                return connection.close()
            self.heads.append(head + b"\r\n\r\n")
            length = re.search(rb"Content-Length: (\d+)", head)
            while length and len(octets) < int(length[1]):
                octets += connection.recv(65536)
            octets = octets[int(length[1]) :] if length else octets
            if b"/dies" in head and turn:
                return connection.close()
            body = b"" if head.startswith(b"HEAD") else b"{}"
            connection.sendall(b"HTTP/1.1 200 OK\r\nX-Turn: 1\r\nContent-Length: 2\r\n\r\n" + body)
            if b"?last" in head:
                self.listening.shutdown(socket.SHUT_RDWR)
                return connection.close()


@contextmanager
def recorder() -> Iterator[Recorder]:
    server = Recorder()
    with raw_server(server.answer) as (server.address, server.listening):
        yield server


def sent(requests: list[Prepared], pause_s: float = 0) -> list[Exchange]:
    """One after another, by one client."""

    async def one(client: Client, request: Prepared) -> Exchange:
        time.sleep(pause_s)
        return await client.exchange(request, DEFAULTS)

    async def main(selector):
        client = Client(selector, lambda: 0)

        async def work():
            return [await one(client, request) for request in requests]

        try:
            return await Strand(work()).done
        finally:
            client.close()

    return run_in_loop(main)


class Sent(unittest.TestCase):
    def test_each_head_is_what_the_server_got(self):
        with recorder() as server:
            requests = [
                Prepared(
                    method,
                    server.address + target,
                    lines,
                    b"body" if method in ("POST", "REPORT") else None,
                )
                for lines in LINES
                for method in METHODS
                for target in TARGETS
            ]
            exchanges = sent([request for request in requests for _ in range(3)])
        self.assertEqual([x.why for x in exchanges if x.why], [])
        self.assertEqual([x.sent_head for x in exchanges], server.heads)
        self.assertEqual(
            {x.received_head for x in exchanges},
            {b"HTTP/1.1 200 OK\r\nX-Turn: 1\r\nContent-Length: 2\r\n\r\n"},
        )
        self.assertFalse(any(x.resent for x in exchanges))

    def test_sent_again_on_a_connection_that_died(self):
        with recorder() as server:
            first, *_, last = exchanges = sent(
                [Prepared("GET", server.address + "/dies", LINES[0], None)] * 3
            )
        self.assertEqual([x.resent for x in exchanges], [False, True, True])
        self.assertEqual(len(server.heads), 5)
        self.assertEqual({x.sent_head for x in exchanges}, set(server.heads))
        self.assertEqual((first.reused, last.status), (False, 200))

    def test_nobody_is_there_any_more(self):
        with recorder() as server:
            last = Prepared("GET", server.address + "/a?last", LINES[0], None)
            known, gone = sent(
                [replace(last, address=server.address + "/a"), last, last], pause_s=0.05
            )[1:]
        self.assertIn(b"GET /a?last ", known.sent_head)
        self.assertIn(gone.sent_head, (b"", known.sent_head), "it may have gone out to nobody")
        self.assertFalse(gone.resent)
        self.assertIn("connect", gone.why.sentence)

    def test_what_is_foretold(self):
        heads, asked = Heads(), Prepared("GET", "http://a.example/x?y", (("A", "b"),), None)
        self.assertIsNone(heads.expected(asked, DEFAULTS))
        self.assertTrue(
            heads.learn(asked, DEFAULTS, b"GET /x?y HTTP/1.1\r\nHost: a.example\r\nA: b\r\n\r\n")
        )
        other = replace(asked, address="http://a.example/z")
        self.assertEqual(
            heads.expected(other, DEFAULTS), b"GET /z HTTP/1.1\r\nHost: a.example\r\nA: b\r\n\r\n"
        )
        for unlike in (
            {"method": "PUT"},
            {"address": "http://b.example/x"},
            {"address": "http://me@a.example/x"},
            {"address": "https://a.example/x"},
            {"headers": ()},
            {"body": b""},
        ):
            self.assertIsNone(heads.expected(replace(asked, **unlike), DEFAULTS), unlike)
        self.assertFalse(
            heads.learn(asked, DEFAULTS, b"GET /X?y HTTP/1.1\r\n\r\n"),
            "libcurl wrote the target otherwise",
        )

    def test_how_often(self):
        self.assertEqual(sent_of(b"abc", 0), [])
        self.assertEqual(sent_of(b"abc", 6), [b"abc", b"abc"])
        self.assertEqual(sent_of(b"abc", 2), [b"ab"])


if __name__ == "__main__":
    unittest.main()
