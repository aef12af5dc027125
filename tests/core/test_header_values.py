"""What servers say in headers is read strictly or not at all: whatever comes, nothing is raised,
nothing slow, nothing guessed."""

import random
import unittest
from datetime import UTC, datetime

from saltpath.core.answers.header_values import (
    MOST_SECONDS,
    attributes_of,
    location_of,
    max_age_of,
    moment_of,
    passed_over,
    retry_after_of,
)
from saltpath.core.values.charsets import codec_of

PIECES = [
    "0",
    "17",
    "9" * 30,
    "-",
    "--",
    "+",
    "²",
    "٣",
    "५",
    ".",
    "e9",
    " ",
    "\t",
    "\x00",
    "é",
    "\ud800",
    "GMT",
    "Mon",
    "Nov",
    "2026",
    "1e9",
    ":",
    "http://",
    "//",
    "[",
    "]",
    "[::1",
    "@",
    "\\",
    "%",
    "%zz",
    "?",
    "#",
    "a",
    "x" * 300,
    ";",
    "=",
    "charset",
    "utf-8",
    "rot13",
    "Max-Age",
    "Expires",
    "Domain",
    "/",
    "..",
    "99:99:99",
    "-0001",
    "\u202e",
]


class HeaderValues(unittest.TestCase):
    def test_what_can_be_read(self) -> None:
        self.assertEqual(max_age_of("60"), 60)
        self.assertEqual(max_age_of("-5"), -5)
        self.assertEqual(max_age_of("9" * 20), MOST_SECONDS)
        self.assertEqual(retry_after_of("3"), 3.0)
        self.assertEqual(
            moment_of("Mon, 30 Nov 2026 08:00:00 GMT"), datetime(2026, 11, 30, 8, tzinfo=UTC)
        )
        self.assertEqual(
            moment_of("Mon, 30-Nov-2026 08:00:00 GMT"), datetime(2026, 11, 30, 8, tzinfo=UTC)
        )
        self.assertEqual(location_of("http://h/a/b", "../c#d"), "http://h/c")
        self.assertEqual(
            attributes_of("a=b; PATH=/x; path=/y; Secure"), {"path": "/y", "secure": ""}
        )
        self.assertEqual((codec_of("UTF-8"), codec_of("windows-1252")), ("utf_8", "cp1252"))

    def test_what_cannot(self) -> None:
        for text in ("²", "--5", "5,000", "9" * 5_000, "", " 1", "1e9", "٣", "+5"):
            self.assertEqual((max_age_of(text), retry_after_of(text)), (None, None), text[:20])
        for text in ("+" + "9" * 90, "9" * 99, "Thu, 99 Foo 99999", "", "\ud800"):
            self.assertIsNone(moment_of(text), text[:20])
        for name in (
            "utf-7",
            "rot13",
            "idna",
            "punycode",
            "undefined",
            "unicode_escape",
            "base64",
            "x" * 5_000,
            "",
            "../a",
            "²",
        ):
            self.assertIsNone(codec_of(name), name[:20])

    def test_at_random(self) -> None:
        source = random.Random(17)
        for _ in range(6_000):
            text = "".join(source.choices(PIECES, k=source.randrange(8)))
            for read in (max_age_of, moment_of, retry_after_of, attributes_of, codec_of):
                read(text)
            location_of("http://127.0.0.1:8421/a", text)
            headers = [
                (name, text) for name in ("Set-Cookie", "Location", "Retry-After", "Content-Type")
            ]
            for reason in passed_over("http://127.0.0.1:8421/a", headers):
                self.assertTrue(reason.sentence)
