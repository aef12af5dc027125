"""Answers that no honest server gives, in one table: tests send each, and docs/security.md lists
them. Each costs its step alone."""

from __future__ import annotations

import gzip
import re
import zlib
from pathlib import Path
from typing import NamedTuple

import zstandard


class Hostile(NamedTuple):
    """`wire`: all that the server sends. `becomes`: the code of the reason that the step is blocked
    with; `answered` where it is an answer like another, which checks are judged on."""

    about: str
    wire: bytes
    becomes: str = "answered"


OK = b"HTTP/1.1 200 OK\r\n"


def whole(body: bytes, *lines: bytes, status: bytes = b"200 OK") -> bytes:
    head = b"HTTP/1.1 " + status + b"\r\n" + b"".join(line + b"\r\n" for line in lines)
    return head + b"Content-Length: %d\r\n\r\n" % len(body) + body


def typed(body: bytes, media: bytes) -> bytes:
    return whole(body, b"Content-Type: " + media)


def encoded(body: bytes, encoding: bytes) -> bytes:
    return whole(body, b"Content-Encoding: " + encoding)


def _charsets() -> list[Hostile]:
    said = (
        b"utf-7",
        b"unicode_escape",
        b"raw_unicode_escape",
        b"idna",
        b"punycode",
        b"undefined",
        b"rot13",
        b"base64",
        b"zip",
        b"hex",
        b"bz2",
        b"uu",
        b"mbcs",
        b"utf-8-variant",
        b"x" * 5_000,
        b"\xff\xfe",
        b"../../etc",
        b"None",
        b"utf-16",
        b"utf-32",
        b"cp037",
        b"utf-8\x01",
        b"'",
        b"iso-2022-jp",
        b"hz",
        b"big5",
        b"encodings.aliases",
    )
    return [
        Hostile(
            f"a body whose charset is {name[:20]!r}",
            typed(b"a +2AA- b \\ud800 \\N{}", b"text/plain; charset=" + name),
        )
        for name in said
    ]


def _texts() -> list[Hostile]:
    digits = b"9" * 5_000
    bodies = {
        "a number of 5,000 digits beside half a character": b'{"big": '
        + digits
        + b', "x": "\\ud800"}',
        "half a character in a text": b'{"x": "\\ud800"}',
        "half a character in a name": b'{"\\udfff": 1, "x": 1}',
        "two halves in the wrong order": b'{"x": "\\udc00\\ud800"}',
        "half a character as octets": b'{"x": "\xed\xa0\x80"}',
        "NaN": b'{"x": NaN}',
        "Infinity": b'{"x": [Infinity, -Infinity]}',
        "NaN beside a number of 5,000 digits": b'{"big": ' + digits + b', "x": NaN}',
        "an exponent of 5,000 digits": b'{"x": 1e' + digits + b"}",
        "a fraction of 100,000 digits": b'{"x": 0.' + b"1" * 100_000 + b"}",
        "doubled names": b'{"x": 1, "x": 2, "x": [1]}',
        "a body of zeros": b"\0" * 10_000,
        "a zero inside a text": b'{"x": "a\\u0000b"}',
        "two documents": b'{"x": 1}{"x": 2}',
        "a byte order mark": b"\xef\xbb\xbf" + b'{"x": 1}',
        "UTF-16 that says nothing of it": '{"x": 1}'.encode("utf-16"),
        "50,000 empty lists": b'{"x": [' + b"[]," * 49_999 + b"[]]}",
        "a text of 2 MB": b'{"x": "' + b"y" * 2_000_000 + b'"}',
        "a name of 1 MB": b'{"' + b"y" * 1_000_000 + b'": 1, "x": 1}',
        "a JSON of one quote": b'"',
        "the name __proto__": b'{"__proto__": {"x": 1}, "constructor": 1, "x": 1}',
        "a reference of ours": b'{"x": "[=secret]", "y": "[?every]"}',
        "a spreadsheet's formula": b'{"x": "=HYPERLINK(1)"}',
        "marks that turn the writing round": '{"x": "\u202e\u2066txt"}'.encode(),
        "a script": b'{"x": "<script>alert(1)</script>"}',
    }
    found = [
        Hostile(f"JSON with {name}", typed(body, b"application/json"))
        for name, body in bodies.items()
    ]
    for levels in (900, 1_100, 10_000, 100_000):
        becomes = "answered" if levels < 1_000 else "too-deep"
        found.append(
            Hostile(
                f"JSON of {levels:,} levels",
                typed(b'{"x":' + b"[" * levels + b"]" * levels + b"}", b"application/json"),
                becomes,
            )
        )
    return found


def _xml() -> list[Hostile]:
    spaces = b"".join(b'<a%d:x xmlns:a%d="urn:%d"/>' % (n, n, n) for n in range(5_000))
    inside = b"".join(b'<a xmlns:n%d="urn:%d">' % (n, n) for n in range(200)) + b"</a>" * 200
    bodies = {
        "5,000 namespaces beside each other": b"<x>" + spaces + b"</x>",
        "200 namespaces inside each other": b"<x>" + inside + b"</x>",
        "entities that grow": b'<!DOCTYPE x [<!ENTITY a "aaaaaaaaaa"><!ENTITY b '
        b'"&a;&a;&a;&a;&a;&a;&a;&a;&a;&a;">]><x>&b;</x>',
        "an entity that is a file": b"<!DOCTYPE x [<!ENTITY a SYSTEM "
        b'"file:///etc/passwd">]><x>&a;</x>',
        "a document type at an address": b'<!DOCTYPE x SYSTEM "http://127.0.0.1:1/x.dtd"><x/>',
        "an encoding that there is not": b'<?xml version="1.0" encoding="brine"?><x/>',
        "UTF-7 as its encoding": b'<?xml version="1.0" encoding="UTF-7"?><x>+2AA-</x>',
        "no end": b"<x><y>",
        "10,000 attributes": b"<x " + b" ".join(b'a%d="1"' % n for n in range(10_000)) + b"/>",
        "a text of 1 MB": b"<x>" + b"y" * 1_000_000 + b"</x>",
        "an included file": b'<x xmlns:xi="http://www.w3.org/2001/XInclude"><xi:include '
        b'href="/etc/passwd" parse="text"/></x>',
        "a zero": b"<x>\0</x>",
    }
    found = [
        Hostile(f"XML with {name}", typed(body, b"application/xml"))
        for name, body in bodies.items()
    ]
    deep = b"<x>" * 100_000 + b"</x>" * 100_000
    return [*found, Hostile("XML of 100,000 levels", typed(deep, b"text/xml"))]


def _headers() -> list[Hostile]:
    cookies = (
        "a=b; Max-Age=²",
        "a=b; Max-Age=--5",
        "a=b; Max-Age=" + "9" * 5_000,
        "a=b; Max-Age=",
        "a=b; Max-Age=1e9",
        "a=b; Max-Age=٣",
        "a=b; Expires=+" + "9" * 400,
        "a=b; Expires=Thu, 99 Foo 99999 99:99:99",
        "a=b; Expires=" + "0" * 5_000,
        "a=b; Expires=Thu, 01 Jan 0000 00:00:00 GMT",
        "a=b; Expires=Fri, 31 Dec 9999 23:59:59 -9999",
        "a=b; Domain=.",
        "a=b; Domain=..com",
        "a=b; Path=" + "/x" * 5_000,
        "=b",
        "a",
        ";;;;",
        "a=b" + ";x=y" * 5_000,
        "a=" + "c" * 20_000,
        "a=\x01\x02",
        "a=b; Domain=127.0.0.1; Secure; HttpOnly=1",
    )
    found = [
        Hostile(f"Set-Cookie: {text[:40]!r}", whole(b"{}", b"Set-Cookie: " + text.encode()))
        for text in cookies
    ]
    others = (
        "Retry-After: ²",
        "Retry-After: -1",
        "Retry-After: " + "9" * 5_000,
        "Retry-After: soon",
        "Content-Type: ",
        "Content-Type: ;;;",
        "Content-Type: application/json; charset",
        "Content-Type: " + "a/b;" * 5_000,
        "Content-Type: /",
        "Location: nowhere",
        'ETag: "',
        "Date: ²",
        "Age: -²",
        "Content-Range: bytes ²/²",
        "X: " + "a" * 50_000,
        "X" * 20_000 + ": a",
        "X:: a",
        ": a",
        "Link: <" * 5_000,
        "Content-Encoding: ",
        "Content-Encoding: identity, identity",
        "WWW-Authenticate: Digest " + "a" * 40_000,
        "WWW-Authenticate: Digest " + "a=" * 20_000,
        "WWW-Authenticate: " + '"' * 40_000,
    )
    found += [
        Hostile(f"the header {text[:40]!r}", whole(b'{"x": 1}', text.encode())) for text in others
    ]
    found.append(
        Hostile("2,000 header lines", whole(b"{}", *(b"X-%d: y" % n for n in range(2_000))))
    )
    found.append(
        Hostile(
            "a head of octets",
            whole(b"{}", bytes(range(128, 256)) + b": " + bytes(range(128, 256))),
        )
    )
    found.append(
        Hostile(
            "a head of 200 kB",
            whole(b"{}", *(b"X-%d: " % n + b"y" * 2_000 for n in range(100))),
            "headers-too-large",
        )
    )
    found.append(
        Hostile("a line of 300 kB", whole(b"{}", b"X: " + b"y" * 300_000), "headers-too-large")
    )
    for challenge in (
        b"Digest " + b"a" * 40_000,
        b'Digest realm="' + b"\\" * 40_000,
        b"Digest " + b"a b=c, " * 5_000,
        b"Digest " + b"," * 40_000,
        b"Digest nonce=1, algorithm=" + b"x" * 20_000,
        b"Basic",
        b"Digest",
        b"Digest \xff=\xff",
        b'Digest nonce="' + b'a"' * 10_000,
    ):
        becomes = (
            "answered" if b"nonce=" in challenge and b"algorithm" not in challenge else "digest"
        )
        wire = whole(b"", b"WWW-Authenticate: " + challenge, status=b"401 No")
        found.append(Hostile(f"401 with {challenge[:30]!r}", wire, becomes))
    return found


def _redirects() -> list[Hostile]:
    nowhere = "redirect-nowhere"
    places = {
        b"http://[": "answered",
        b"http://[::1": "answered",
        b"http://a:b/": "answered",
        b"//[": "answered",
        b"": "redirect-loop",
        b"http://127.0.0.1:99999/": "answered",
        b"file:///etc/passwd": nowhere,
        b"gopher://h/": nowhere,
        b"javascript:alert(1)": nowhere,
        b"http://": "redirect-loop",
        b"ftp://h/": nowhere,
        b"dict://127.0.0.1:1/": nowhere,
        b"http:///x": "answered",
        b"http://no-such-host.invalid/": "no-host",
        b"data:text/plain,x": nowhere,
    }
    found = [
        Hostile(
            f"a redirect to {place.decode()!r}",
            whole(b"", b"Location: " + place, status=b"302 Found"),
            becomes,
        )
        for place, becomes in places.items()
    ]
    found.append(Hostile("a redirect to nothing said", whole(b"{}", status=b"302 Found")))
    found.append(
        Hostile(
            "a redirect to 20 kB",
            whole(b"", b"Location: http://" + b"a" * 20_000 + b"/", status=b"301 X"),
            "no-host",
        )
    )
    found.append(
        Hostile(
            "a redirect to half a character",
            whole(
                b"", "Location: http://\udc80/".encode("utf-8", "surrogatepass"), status=b"301 X"
            ),
            "address-unreadable",
        )
    )
    return found


def _encodings() -> list[Hostile]:
    member = gzip.compress(b"")
    zeros = gzip.compress(b"\0" * 30_000_000)
    frame = zstandard.ZstdCompressor().compress(b"x" * 1_000)
    nested = b'{"x": 1}'
    for _ in range(4):
        nested = gzip.compress(nested)
    return [
        Hostile(
            "999 members of gzip before 1 MB",
            encoded(member * 999 + gzip.compress(b"x" * 1_000_000), b"gzip"),
        ),
        Hostile("20,000 members of gzip", encoded(member * 20_000, b"gzip"), "bad-encoding"),
        Hostile(
            "gzip and 4 MB of zeros behind it",
            encoded(gzip.compress(b'{"x": 1}') + b"\0" * 4_000_000, b"gzip"),
        ),
        Hostile("a bomb of gzip", encoded(zeros, b"gzip"), "too-large"),
        Hostile("a bomb inside a bomb", encoded(gzip.compress(zeros), b"gzip, gzip"), "too-large"),
        Hostile("gzip four times", encoded(nested, b"gzip, gzip, gzip, gzip")),
        Hostile(
            "gzip said 5,000 times",
            encoded(gzip.compress(b"{}"), b", ".join([b"gzip"] * 5_000)),
            "unknown-encoding",
        ),
        Hostile(
            "a bomb of deflate", encoded(zlib.compress(b"\0" * 30_000_000), b"deflate"), "too-large"
        ),
        Hostile(
            "a bomb of zstd",
            encoded(zstandard.ZstdCompressor().compress(b"\0" * 30_000_000), b"zstd"),
            "too-large",
        ),
        Hostile("1,000 frames of zstd", encoded(frame * 1_000, b"zstd")),
        Hostile(
            "100,000 empty frames of zstd",
            encoded(zstandard.ZstdCompressor().compress(b"") * 100_000, b"zstd"),
            "bad-encoding",
        ),
        Hostile("zstd that is cut", encoded(frame[:-3], b"zstd"), "bad-encoding"),
        Hostile(
            "gzip that is cut", encoded(gzip.compress(b"x" * 1_000)[:-9], b"gzip"), "bad-encoding"
        ),
        Hostile(
            "gzip with a wrong sum",
            encoded(gzip.compress(b"x" * 1_000)[:-8] + b"12345678", b"gzip"),
            "bad-encoding",
        ),
        Hostile("brotli that is none", encoded(b"\xff" * 1_000, b"br"), "bad-encoding"),
        Hostile("zstd that is none", encoded(b"\xff" * 1_000, b"zstd"), "bad-encoding"),
        Hostile("an encoding that there is not", encoded(b"{}", b"brine"), "unknown-encoding"),
        Hostile("an encoding's name of 20 kB", encoded(b"{}", b"b" * 20_000), "unknown-encoding"),
    ]


def _framing() -> list[Hostile]:
    chunked = OK + b"Transfer-Encoding: chunked\r\n"
    return [
        Hostile(
            "a trailer that is an encoding",
            chunked + b'\r\n8\r\n{"x": 1}\r\n0\r\nContent-Encoding: gzip\r\n\r\n',
        ),
        Hostile(
            "a trailer that is a cookie",
            chunked + b'\r\n8\r\n{"x": 1}\r\n0\r\nSet-Cookie: a=b\r\n\r\n',
        ),
        Hostile(
            "a trailer that is a status line",
            chunked + b'\r\n8\r\n{"x": 1}\r\n0\r\nX: HTTP/1.1 500 Oops\r\n\r\n',
        ),
        Hostile("chunks of one octet", chunked + b"\r\n" + b"1\r\nx\r\n" * 20_000 + b"0\r\n\r\n"),
        Hostile("a chunk's length of 40 digits", chunked + b"\r\n" + b"f" * 40 + b"\r\nx", "cut"),
        Hostile("a chunk's length below zero", chunked + b"\r\n-1\r\nx\r\n0\r\n\r\n", "cut"),
        Hostile("a length that is none", OK + b"Content-Length: many\r\n\r\n{}", "not-http"),
        Hostile("a length below zero", OK + b"Content-Length: -5\r\n\r\n{}", "not-http"),
        Hostile("a length of 40 digits", OK + b"Content-Length: " + b"9" * 40 + b"\r\n\r\n{}"),
        Hostile("a length that is too great", OK + b"Content-Length: 50\r\n\r\n{}", "cut"),
        Hostile(
            "a length and chunks",
            OK + b"Content-Length: 3\r\nTransfer-Encoding: chunked\r\n\r\n2\r\n{}\r\n0\r\n\r\n",
        ),
        Hostile(
            "an encoding of chunks that there is not",
            OK + b"Transfer-Encoding: brine\r\n\r\n{}",
            "failed-exchange",
        ),
        Hostile("a head without an end", OK + b"X: y\r\n", "cut"),
        Hostile("a head that is cut in its first line", b"HTTP/1.1 2", "cut"),
        Hostile("nothing", b"", "cut"),
        Hostile("no HTTP", b"SSH-2.0-brine\r\n", "not-http"),
        Hostile("a status of four digits", b"HTTP/1.1 2000 OK\r\n\r\n", "not-http"),
        Hostile("the status 999", whole(b"{}", status=b"999 What")),
        Hostile(
            "the status 000", b"HTTP/1.1 000 Nothing\r\nContent-Length: 2\r\n\r\n{}", "not-http"
        ),
        Hostile("a reason of 20 kB", whole(b"{}", status=b"200 " + b"x" * 20_000)),
        Hostile(
            "100 heads before the answer",
            b"HTTP/1.1 103 Early\r\nLink: x\r\n\r\n" * 100 + whole(b"{}"),
        ),
        Hostile("a body where there is none", b"HTTP/1.1 204 No\r\nContent-Length: 5\r\n\r\nhello"),
        Hostile("HTTP/9.9", b"HTTP/9.9 200 OK\r\nContent-Length: 2\r\n\r\n{}", "not-http"),
        Hostile("a switch of protocols", b"HTTP/1.1 101 Switching\r\nUpgrade: x\r\n\r\nbrine"),
        Hostile("a body larger than may be", OK + b"\r\n" + b"x" * 6_000_000, "too-large"),
        Hostile("lines that end without a return", b"HTTP/1.1 200 OK\nContent-Length: 2\n\n{}"),
        Hostile("a line that is folded", OK + b"X: a\r\n b\r\nContent-Length: 2\r\n\r\n{}"),
    ]


ANSWERS = [*_charsets(), *_texts(), *_xml(), *_headers(), *_redirects(), *_encodings(), *_framing()]


def as_table() -> str:
    """The answers as docs/security.md lists them."""
    lines = ["| | the answer | what becomes of the step |", "|---|---|---|"]
    for number, answer in enumerate(ANSWERS, 1):
        about = re.sub(r"\bb(['\"])", r"\1", answer.about).replace("|", "\\|").replace("`", "'")
        becomes = "judged" if answer.becomes == "answered" else f"blocked, `{answer.becomes}`"
        lines.append(f"| {number} | {about} | {becomes} |")
    return "\n".join(lines)


def with_table(text: str) -> str:
    """The page with the list as it is now."""
    begin, end = text.index(MARKS[0]) + len(MARKS[0]), text.index(MARKS[1])
    return f"{text[:begin]}\n{as_table()}\n{text[end:]}"


MARKS = ("<!-- answers -->", "<!-- end -->")
PAGE = Path(__file__).resolve().parents[2] / "docs/security.md"

if __name__ == "__main__":
    PAGE.write_text(with_table(PAGE.read_text(encoding="utf-8")), encoding="utf-8")
