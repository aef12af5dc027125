"""Readers of what strangers send: twice as much of it takes at most two and a half times as long.

Counted is CPU time of this process, the least of several, on sizes that take milliseconds; what
came out too slow is counted anew with larger ones before it is believed, since clocks shake."""

import csv
import gzip
import io
import math
import time
import unittest
import zipfile
from collections.abc import Callable
from typing import Any

import zstandard
from openpyxl import Workbook

from saltpath.core.answers.answer import Answer, headers_of, mentions
from saltpath.core.answers.header_values import passed_over
from saltpath.core.cases.row_sources import FileRows
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.source import read_source
from saltpath.core.format.writer import write_document
from saltpath.core.paths.patterns import PatternError, compile_pattern
from saltpath.core.paths.xml_tree import NotXml, read_xml
from saltpath.core.tables.combining import pairs
from saltpath.core.tables.table import names_of
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked
from saltpath.engine.cookies import Jar
from saltpath.engine.decode import decode
from saltpath.engine.digest import challenge_of
from saltpath.engine.masking import Masker
from saltpath.formats.har import read_har
from saltpath.formats.pasted import read_pasted
from saltpath.formats.rows import read_table
from saltpath.formats.workbook import read_book

MOST = 2.5
LEAST_S = 0.004
TRIES = 5
ENOUGH = 4_000_000
REFUSALS = (Blocked, Unreadable, FormatError, PatternError, NotXml, plain.NotPlain)


def yaml(n: int) -> str:
    return (
        "salt-path: 1\ncase: A\nsteps:\n"
        + "  - request: A\n    send: GET http://h/\n    expect: [ { of: status, is: 200 } ]\n" * n
    )


def commented(n: int) -> tuple[dict[str, Any], dict[str, list[str]]]:
    """A document with a comment above each step and check."""
    checks = [{"of": "status", "is": 200}] * 3
    steps = [{"request": "A", "send": "GET http://h/", "expect": checks} for _ in range(n)]
    paths = [
        f"steps[{step}]{rest}"
        for step in range(n)
        for rest in ("", ".send", ".expect[1]", ".expect[2].is")
    ]
    return {"salt-path": 1, "case": "A", "steps": steps}, {path: ["# why"] for path in paths}


def table(n: int) -> bytes:
    out = io.StringIO()
    csv.writer(out).writerows(
        [[f"a{i}" for i in range(5)], *([i, "x,y", 'a "b"', 1.5, ""] for i in range(n))]
    )
    return out.getvalue().encode()


def book(n: int) -> bytes:
    made, out = Workbook(write_only=True), io.BytesIO()
    sheet = made.create_sheet("a")
    for i in range(n):
        sheet.append(["x" if i else "name", i, None, 1.5])
    made.save(out)
    return out.getvalue()


def spoilt_sheet(n: int) -> bytes:
    """A workbook whose sheet is one tag after another without an end."""
    source, out = zipfile.ZipFile(io.BytesIO(book(2))), io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name in source.namelist():
            archive.writestr(name, b"<c <row " * n if "worksheets" in name else source.read(name))
    return out.getvalue()


def har(n: int) -> bytes:
    entry = {
        "request": {
            "method": "GET",
            "url": "http://h/a?b=c",
            "headers": [{"name": "a", "value": "b"}],
        },
        "response": {
            "status": 200,
            "content": {"text": '{"id": "abcdef123"}', "mimeType": "application/json"},
        },
    }
    return plain.write_json({"log": {"creator": {"name": "x"}, "entries": [entry] * n}})


def masked(n: int) -> object:
    masker = Masker()
    masker.add("salt-and-tar")
    return masker.text("%73alt-and-%2574 ar&#115;" * n + "salt-and-tar" * (n // 10))


def read(name: str, octets: bytes) -> list[Any]:
    return list(read_table(io.BytesIO(octets), FileRows(name)).rows)


READERS: dict[str, tuple[int, Callable[[int], Any]]] = {
    "JSON of an answer": (20_000, lambda n: plain.read_json(b"[" + b'{"a":1.5},' * n + b"1]")),
    "JSON with half characters": (
        4_000,
        lambda n: plain.read_json(b"[" + b'"\\ud800",' * n + b"1]"),
    ),
    "a number's digits": (100_000, lambda n: plain.read_json(b"[" + b"9" * n + b"]")),
    "an answer's head": (
        4_000,
        lambda n: headers_of(b"HTTP/1.1 200 OK\r\n" + b"X: y\r\n" * n + b"\r\n"),
    ),
    "many heads": (4_000, lambda n: mentions.__wrapped__(b"HTTP/1.1 103 Early\r\n\r\n" * n)),
    "cookies": (
        400,
        lambda n: Jar().take("http://h/", [("Set-Cookie", f"a{i}=b; Path=/") for i in range(n)], 1),
    ),
    "a cookie's attributes": (
        20_000,
        lambda n: Jar().take("http://h/", [("Set-Cookie", "a=b" + ";x=y" * n)], 1),
    ),
    "header values": (
        20_000,
        lambda n: passed_over(
            "http://h/", [("Content-Type", "a" + ";b" * n), ("Location", "/" + "../" * n)]
        ),
    ),
    "a challenge without an end": (
        60_000,
        lambda n: challenge_of([("WWW-Authenticate", "Digest " + "a" * n)]),
    ),
    "a challenge of quotes": (
        60_000,
        lambda n: challenge_of([("WWW-Authenticate", 'Digest a="' + '\\"' * n)]),
    ),
    "members of gzip": (
        400,
        lambda n: decode(
            gzip.compress(b"x" * 20) * n + gzip.compress(bytes(200_000)) * 20, "gzip", 10**9
        ),
    ),
    "gzip": (
        400_000,
        lambda n: decode(gzip.compress(bytes(range(256)) * (n // 256), 1), "gzip", 10**9),
    ),
    "frames of zstd": (
        2_000,
        lambda n: decode(zstandard.ZstdCompressor().compress(b"x" * 2_000) * n, "zstd", 10**9),
    ),
    "namespaces": (
        1_000,
        lambda n: read_xml(
            b"<x>" + b"".join(b'<a%d:x xmlns:a%d="u%d"/>' % (i, i, i) for i in range(n)) + b"</x>"
        ),
    ),
    "elements": (10_000, lambda n: read_xml(b"<x>" + b"<y>1</y>" * n + b"</x>")),
    "an answer's text in a charset": (
        400_000,
        lambda n: Answer(200, b"Content-Type: text/plain; charset=cp037\r\n", b"a" * n, 1).text(),
    ),
    "YAML": (200, lambda n: read_source(yaml(n))),
    "YAML of lists": (2_000, lambda n: read_source("a: [" + "[]," * n + "]")),
    "YAML that is none": (2_000, lambda n: read_source("a: b\n" * n + "\t: {")),
    "comments": (2_000, lambda n: read_source("a: b\n" + "# c\n" * n)),
    "a case with comments, written": (200, lambda n: write_document(*commented(n))),
    "JSON of a case": (2_000, lambda n: read_source("[" + '{"a": [1, "b"]},\n' * n + "1]")),
    "a table's equal headings": (1_000, lambda n: names_of(["same"] * n, 1, n)),
    "CSV": (2_000, lambda n: read("a.csv", table(n))),
    "CSV of one open quote": (20_000, lambda n: read("a.csv", b'a,b\n1,"' + b"x\n" * n)),
    "CSV of one line": (20_000, lambda n: read("a.csv", b"a," * 50 + b"a\n" + b"b" * n)),
    "JSON rows": (4_000, lambda n: read("a.json", b"[" + b'{"a": 1},' * n + b'{"a": 2}]')),
    "JSON Lines": (4_000, lambda n: read("a.jsonl", b'{"a": 1}\n' * n)),
    "XLSX": (1_000, lambda n: read("a.xlsx", book(n))),
    "XLSX as a sheet": (1_000, lambda n: read_book(book(n))),
    "XLSX that is none": (60_000, lambda n: read_book(spoilt_sheet(n))),
    "a recording": (200, lambda n: read_har(har(n))),
    "a curl line": (1_000, lambda n: read_pasted("curl http://h/ " + "-H 'a: b' " * n)),
    "a curl line of places": (1_000, lambda n: read_pasted("curl http://h/" + "[1-1]" * n)),
    "a curl line of quotes": (10_000, lambda n: read_pasted("curl http://h/ -d '" + "\\'" * n)),
    "raw HTTP": (
        2_000,
        lambda n: read_pasted("GET / HTTP/1.1\r\nHost: h\r\n" + "X: y\r\n" * n + "\r\n"),
    ),
    "a pattern": (400, lambda n: compile_pattern.__wrapped__("(a|b)" * n)),
    "a pattern of parentheses": (2_000, lambda n: compile_pattern.__wrapped__("(" * n + ")" * n)),
    "pairs": (20, lambda n: pairs([n, 20, 10, 10])),
    "what holds a secret": (1_000, masked),
}


class Growth(unittest.TestCase):
    def test_twice_as_much_takes_twice_as_long(self) -> None:
        for name, (size, reader) in READERS.items():
            with self.subTest(name):
                ratio = math.inf
                for tried in range(TRIES):
                    size = self.sized(reader, size)
                    if size >= ENOUGH:  # refused at a glance, however much it is
                        break
                    found = self.least(reader, size * 2) / self.least(reader, size)
                    ratio = min(ratio, found)
                    if ratio <= MOST:
                        break
                    size = size * 2 if tried == 2 else size
                else:
                    self.fail(f"{ratio} times as long of {size * 2} as of half of it")

    def sized(self, reader: Callable[[int], Any], size: int) -> int:
        """A size that takes long enough to be measured."""
        while self.once(reader, size) < LEAST_S and size < ENOUGH:
            size *= 2
        return size

    def least(self, reader: Callable[[int], Any], size: int) -> float:
        return min(self.once(reader, size) for _ in range(4))

    def once(self, reader: Callable[[int], Any], size: int) -> float:
        begun = time.process_time()
        try:
            reader(size)
        except REFUSALS:
            pass
        return time.process_time() - begun


if __name__ == "__main__":
    unittest.main()
