"""What an exchange says of its answer is what came over the wire: status, head and body, whatever
stands before or inside them."""

from __future__ import annotations

import gzip
import itertools
import random
import socket
import unittest
from collections.abc import Iterator
from contextlib import contextmanager
from typing import NamedTuple

from msgspec.structs import replace

from saltpath.core.answers.answer import Mentions, headers_of, mentions
from saltpath.core.answers.exchange import Exchange
from saltpath.core.cases.options import DEFAULTS, Options
from saltpath.core.running.prepare import Prepared
from saltpath.engine.client import Client
from saltpath.engine.loop import Strand, run_in_loop
from tests.engine.raw import next_head, raw_server

SEED = 20931
MANY = 400
LINES = (
    b"X-Was: HTTP/1.1 500 Oops",
    b"Via: HTTP/1.0 404, HTTP/2 503",
    b"X-Folded: one\r\n\ttwo HTTP/1.1 418",
    b"Vary: content-encoding, cookie: x",
    b"X-Empty:",
    b"Set-Cookie: a=b; Path=/",
    b"Content-Type: application/json; charset=utf-8",
    b"x-latin: \xe5\xf8",
)
BEFORE = (
    b"HTTP/1.1 100 Continue\r\n\r\n",
    b"HTTP/1.1 103 Early Hints\r\nLink: </a>; rel=preload\r\nX-Was: HTTP/1.1 500\r\n\r\n",
    b"HTTP/1.1 102 Processing\r\n\r\n",
)
BODILESS = (204, 304)


class Sent(NamedTuple):
    """One answer: its bytes on the wire, and what is true of it. In the head a line that was folded
    is one (RFC 9112, 5.2)."""

    method: str
    wire: bytes
    status: int
    head: bytes
    raw: bytes
    body: bytes


def made(chance: random.Random) -> Sent:
    method = chance.choice(("GET", "GET", "GET", "HEAD", "OPTIONS"))
    status = chance.choice((200, 200, 201, 204, 206, 304, 400, 404, 418, 500, 503, 599, 999))
    line = b"HTTP/1.1 %d%s" % (
        status,
        chance.choice((b"", b" ", b" OK", b" Not HTTP/1.1 200 at all")),
    )
    lines = chance.sample(LINES, chance.randrange(len(LINES)))
    body = (
        b""
        if status in BODILESS
        else bytes(chance.randrange(256) for _ in range(chance.choice((0, 1, 9, 700))))
    )
    raw, after = body, b""
    if body and chance.random() < 0.3:
        lines.append(b"Content-Encoding: gzip")
        raw = gzip.compress(body)
    if status in BODILESS:
        wire_body = b""
    elif chance.random() < 0.4:
        lines.append(b"Transfer-Encoding: chunked")
        cut = chance.randrange(len(raw) + 1)
        after = chance.choice((b"", b"X-After: HTTP/1.1 500 trailing\r\n"))
        wire_body = (
            b"".join(b"%x\r\n%s\r\n" % (len(p), p) for p in (raw[:cut], raw[cut:]) if p)
            + b"0\r\n"
            + after
            + b"\r\n"
        )
    else:
        lines.append(b"Content-Length: %d" % len(raw))
        wire_body = raw
    chance.shuffle(lines)
    before = b"".join(chance.choices(BEFORE, k=chance.choice((0, 0, 0, 1, 2))))
    wire_head = before + b"\r\n".join((line, *lines)) + b"\r\n\r\n"
    head = wire_head.replace(b"\r\n\t", b" ")
    if method == "HEAD":
        return Sent(method, wire_head, status, head, b"", b"")
    return Sent(method, wire_head + wire_body, status, head + after, raw, body)


@contextmanager
def wire(answers: list[bytes], cut: bool = False) -> Iterator[str]:
    """The address of a server that answers a request for /n with the n-th of these octets; what is
    cut ends its connection."""

    def answer(connection: socket.socket) -> None:
        head, rest = next_head(connection, b"")
        with connection:
            while head:
                connection.sendall(answers[int(head.split()[1].removeprefix(b"/"))])
                if cut:
                    return
                head, rest = next_head(connection, rest)

    with raw_server(answer) as (address, _):
        yield address


def received(address: str, methods: list[str], options: Options = DEFAULTS) -> list[Exchange]:
    """The exchanges for the server's answers, one after another by one client."""

    async def main(selector):
        client = Client(selector, lambda: 0)

        async def work():
            headers = (("Accept", "*/*"),)
            return [
                await client.exchange(
                    Prepared(method, f"{address}/{number}", headers, None), options
                )
                for number, method in enumerate(methods)
            ]

        try:
            return await Strand(work()).done
        finally:
            client.close()

    return run_in_loop(main)


class Received(unittest.TestCase):
    def test_answers_at_random_are_what_came(self):
        chance = random.Random(SEED)
        answers = [made(chance) for _ in range(MANY)]
        with wire([answer.wire for answer in answers]) as address:
            exchanges = received(address, [answer.method for answer in answers])
        reused = 0
        for number, (answer, exchange) in enumerate(zip(answers, exchanges, strict=True)):
            with self.subTest(number=number, wire=answer.wire):
                self.assertIsNone(exchange.why)
                self.assertEqual(exchange.status, answer.status)
                self.assertEqual(exchange.received_head, answer.head)
                self.assertEqual((exchange.raw_body, exchange.body), (answer.raw, answer.body))
                self.assertGreaterEqual(
                    exchange.times.total, exchange.times.waiting + exchange.times.receiving
                )
                self.assertEqual(exchange.times.connect == 0, exchange.reused)
                reused += exchange.reused
        self.assertGreater(reused, MANY / 2)

    def test_an_answer_that_ends_early_is_no_answer(self):
        whole = (
            b"HTTP/1.1 103 Early Hints\r\n\r\nHTTP/1.1 201 Created\r\nX-A: b\r\n"
            b"Content-Length: 20\r\n\r\n0123456789"
        )
        places = range(len(whole) + 1)
        with wire([whole[:place] for place in places], cut=True) as address:
            exchanges = received(address, ["GET"] * len(places))
        for place, exchange in zip(places, exchanges, strict=True):
            with self.subTest(place=place):
                self.assertEqual(exchange.why.code if exchange.why else None, "cut")
                self.assertFalse(exchange.reused)
                self.assertTrue(whole.startswith(exchange.received_head + exchange.raw_body))
        self.assertEqual(exchanges[-1].status, 201, "what is known is told")
        self.assertEqual(
            exchanges[60].why.sentence, "the connection was cut in the middle of the answer's head"
        )

    def test_a_body_over_the_limit_is_blocked_wherever_it_is_cut(self):
        bodies = [b"x" * size for size in (99_999, 100_000, 100_001, 400_000)]
        answers = [
            b"HTTP/1.1 200 OK\r\nContent-Length: %d\r\n\r\n" % len(body) + body for body in bodies
        ]
        answers += [
            b"HTTP/1.1 200 OK\r\nTransfer-Encoding: chunked\r\n\r\n%x\r\n%s\r\n0\r\n\r\n"
            % (len(body), body)
            for body in bodies
        ]
        with wire(answers) as address:
            exchanges = received(address, ["GET"] * 8, replace(DEFAULTS, largest_body=100_000))
        codes = [exchange.why.code if exchange.why else "" for exchange in exchanges]
        self.assertEqual(codes, ["", "", "too-large", "too-large"] * 2)


class Glances(unittest.TestCase):
    """What is looked for in a head at a glance is never less than what its lines say."""

    def test_it_agrees_with_the_lines(self):
        chance = random.Random(SEED)
        for _ in range(2_000):
            answer = made(chance)
            seen, lines = (
                mentions(answer.head),
                [(name.lower(), value) for name, value in headers_of(answer.head)],
            )
            names = {name for name, _ in lines}
            self.assertEqual((seen.status, seen.whole), (answer.status, True), answer.head)
            cut = answer.head.rstrip() + b"\r\n"
            self.assertEqual(
                mentions(cut).whole, b"\n\r\n" in cut[cut.rfind(b"\nHTTP/") + 1 :], cut
            )
            self.assertGreaterEqual(seen.encoding, "content-encoding" in names)
            self.assertGreaterEqual(seen.cookie, "set-cookie" in names)
            charset = any(name == "content-type" and "charset" in value for name, value in lines)
            self.assertGreaterEqual(seen.charset, charset)

    def test_a_head_without_a_status_has_none(self):
        for head in (
            b"",
            b"HTTP/1.1",
            b"HTTP/1.1 20",
            b"HTTP/1.1 2000 OK\r\n\r\n",
            b"X: HTTP/1.1 200 OK\r\n\r\n",
        ):
            self.assertEqual(
                mentions(head), Mentions(0, b"\n\r\n" in head, False, False, False), head
            )
        for version, status in itertools.product((b"1.0", b"1.1", b"2", b"3"), (100, 200, 999)):
            self.assertEqual(mentions(b"HTTP/%s %d \r\n\r\n" % (version, status)).status, status)
