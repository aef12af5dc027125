"""Addresses: whatever a value holds, it arrives where it was put, whole, and changes nothing around
it."""

from __future__ import annotations

import random
import unittest
from functools import lru_cache
from unittest.mock import patch
from urllib.parse import parse_qsl, quote, unquote, urlsplit

from saltpath.core.assist.inspect import Surroundings, inspect
from saltpath.core.cases.case import Request
from saltpath.core.format.reader import read_case
from saltpath.core.references.scopes import Scope, Scopes
from saltpath.core.running import prepare as preparing
from saltpath.core.running.prepare import Prepared, prepare
from saltpath.core.values.why import Blocked

SEED = 90417
LETTERS = "aZ09 .-_~:/?#[]@%&=+;,\\^`{}|<>\"'!$()*é漢\u202e😀\t\n\x00\x7f"
MANY = 2_000


@lru_cache
def step(address: str, query: str) -> Request:
    text = f'salt-path: 1\ncase: x\nsteps:\n  - request: A\n    send: "GET {address}"\n'
    return read_case(text + (f"    query: {query}\n" if query else "")).steps[0]


def made(address: str, query: str = "", **values: object) -> Prepared:
    return prepare(step(address, query), Scopes(Scope(), row=Scope(dict(values))))


def text_of(chance: random.Random) -> str:
    return "".join(chance.choice(LETTERS) for _ in range(chance.randrange(1, 9)))


class Unfilled(unittest.TestCase):
    def test_a_place_that_waits_for_a_value_blocks_and_is_found_before(self):
        for address, place in (
            ("http://harbour.example/berths/{id}", "{id}"),
            ("http://harbour.example/berths/[=it]/{berth-id}?x=1", "{berth-id}"),
            ("http://harbour.example/b?by={vessel.name}", "{vessel.name}"),
            ("[=at]/b", "{tenant}"),
        ):
            with self.subTest(address), self.assertRaises(Blocked) as raised:
                made(address, it="1", at="http://harbour.example/{tenant}")
            self.assertEqual(
                raised.exception.reason.sentence,
                f"{place} in the address waits for a value; a brace that is meant is written %7B",
            )
            if place != "{tenant}":
                self.assertEqual(preparing.unfilled(step(address, "").address), place)
                case = read_case(
                    f'salt-path: 1\ncase: x\nsteps:\n  - request: A\n    send: "GET {address}"\n'
                )
                codes = [finding.why.code for finding in inspect(case, Surroundings())]
                self.assertIn("unfilled", codes)

    def test_braces_that_are_meant_are_sent(self):
        for address, sent in (
            ("http://harbour.example/b/%7Bid%7D", "/b/%7Bid%7D"),
            ("http://harbour.example/b/[='{id}']", "/b/%7Bid%7D"),
            ("http://harbour.example/b/[=it]", "/b/%7Bid%7D"),
            ("http://harbour.example/b?f={'a':1}", "/b?f=%7B'a':1%7D"),
            ("http://harbour.example/b?f={}", "/b?f=%7B%7D"),
        ):
            with self.subTest(address):
                self.assertEqual(made(address, it="{id}").address, "http://harbour.example" + sent)


class Values(unittest.TestCase):
    def test_in_a_segment(self):
        chance = random.Random(SEED)
        for value in [
            ".",
            "..",
            "...",
            "%2e",
            "%2F..",
            "a/../b",
            *(text_of(chance) for _ in range(MANY)),
        ]:
            with self.subTest(value=value):
                parts = urlsplit(
                    made("http://harbour.example/berths/[=it]/stays", it=value).address
                )
                self.assertEqual(
                    (parts.netloc, parts.query, parts.fragment), ("harbour.example", "", "")
                )
                before, segment, after = parts.path.removeprefix("/").split("/")
                self.assertEqual((before, unquote(segment), after), ("berths", value, "stays"))
                self.assertNotIn(segment, (".", ".."), "it would climb")

    def test_in_the_query_of_the_address_and_as_a_parameter(self):
        chance = random.Random(SEED)
        for _ in range(MANY):
            one, other = text_of(chance), text_of(chance)
            with self.subTest(one=one, other=other):
                prepared = made(
                    "http://harbour.example/b?a=[=one]&z=1",
                    '{ p: "[=other]", q: "2" }',
                    one=one,
                    other=other,
                )
                parts = urlsplit(prepared.address)
                self.assertEqual(parts.path, "/b")
                self.assertEqual(
                    parse_qsl(parts.query, keep_blank_values=True),
                    [("a", one), ("z", "1"), ("p", other), ("q", "2")],
                )

    def test_in_a_host_only_what_a_host_can_hold(self):
        chance = random.Random(SEED)
        self.assertEqual(
            made("http://[=it].example/", it="live-2").address, "http://live-2.example/"
        )
        for _ in range(MANY):
            value = text_of(chance)
            try:
                address = made("http://[=it].example/", it=value).address
            except Blocked:
                continue
            with self.subTest(value=value):
                self.assertEqual((urlsplit(address).path, urlsplit(address).query), ("/", ""))
                self.assertNotIn("@", address)


class Glances(unittest.TestCase):
    """What is told at a glance is what a long look says."""

    def test_an_ordinary_address(self):
        chance, ordinary = random.Random(SEED), 0
        hosts = ("a", "harbour.example", "127.0.0.1", "a..b", "-", "", "u@h", "[::1]")
        ports = ("", ":80", ":8080", ":65535", ":65536", ":0", ":05", ":99999", ":59999", ":")
        for _ in range(20 * MANY):
            scheme = chance.choice(("http://", "https://", "https://", "ftp://", ""))
            tail = "".join(chance.choice(LETTERS) for _ in range(chance.randrange(5)))
            text = (
                scheme
                + chance.choice(hosts)
                + chance.choice(ports)
                + chance.choice(("", "/", "?"))
                + tail
            )
            if preparing._ORDINARY.fullmatch(text):
                ordinary += 1
                with patch.object(preparing, "_ORDINARY", preparing._HOST), self.subTest(text=text):
                    self.assertEqual(preparing._usable.__wrapped__(text), text)
        self.assertGreater(ordinary, 0.9 * MANY)

    def test_what_needs_no_encoding(self):
        chance = random.Random(SEED)
        for _ in range(MANY):
            text = text_of(chance)
            self.assertEqual(preparing._percent(text), quote(text, safe=""))
