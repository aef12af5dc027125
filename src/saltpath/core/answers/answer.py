"""An answer as the checks see it: status, headers, times and the decoded body, read as JSON, XML or
text when first asked."""

from __future__ import annotations

import re
from functools import lru_cache
from typing import Any

import msgspec

from saltpath.core.paths.jsonpath import MISSING
from saltpath.core.values import plain
from saltpath.core.values.charsets import codec_of
from saltpath.core.values.why import Blocked, Why, why

LEVELS = 1000
_STATUS = re.compile(rb"HTTP/[\d.]+ (\d{3})\s")
_LINES = re.compile(
    rb"\ncontent-type:[ \t]*application/(?:x-)?(?:ndjson|jsonl|jsonlines|json-lines)[ "
    rb"\t]*(?:[;\r\n]|\Z)"
)
_END = re.compile(rb"\n\r?\n")
_BOM = b"\xef\xbb\xbf"
_OPENING = tuple(b"{[")
_BLANKS = b" \t\r\n" + _BOM
_UTF8 = frozenset(["utf-8", "utf8", "us-ascii", "ascii"])


def headers_of(head: bytes) -> list[tuple[str, str]]:
    """The last head's header lines (an informational 1xx head may come before it, trailers behind
    it)."""
    try:
        text = head.decode()
    except UnicodeDecodeError:
        text = head.decode("latin-1")
    headers: list[tuple[str, str]] = []
    inside = True
    for line in text.split("\r\n"):
        if line[:5] == "HTTP/":
            headers.clear()
            inside = True
            continue
        inside = inside and bool(line)
        if not inside:  # behind the empty line: trailers, which are no headers (RFC 9110, 6.5)
            continue
        name, colon, value = line.partition(":")
        if colon:
            headers.append((name, value.strip()))
    return headers


class Mentions(msgspec.Struct, frozen=True, gc=False):
    """What a head has of which the way on depends; most have nothing but their status, and need not
    be taken apart then. `status`: that of the last head in it, 0 if it is not plain to see;
    `whole`: that head has its end, an empty line."""

    status: int
    whole: bool
    encoding: bool
    cookie: bool
    charset: bool
    lines: bool = False


@lru_cache(maxsize=32)
def mentions(head: bytes) -> Mentions:
    """Of an answer's head, most of which are the same for a second."""
    last = head.rfind(b"\nHTTP/") + 1
    found, end = _STATUS.match(head, last), _END.search(head, last)
    status, whole = int(found[1]) if found else 0, end is not None
    lower = head[last : end.start() if end else None].lower()
    return Mentions(
        status,
        whole,
        b"content-encoding" in lower,
        b"cookie:" in lower,
        b"charset" in lower,
        b"json" in lower and _LINES.search(lower) is not None,
    )


class Answer(msgspec.Struct, gc=False):
    """`time_us` covers the whole last exchange, connecting included, `first_us` the time until its
    first byte; `head` is the answer's head as it came, `body` is decoded (no content encoding).
    `namespaces` are those of the step's options; `seen` is what the head mentions, where somebody
    looked already. `redirects`: the heads of the answers that led here, the latest first.

    A finished request can be asked the same way: its head, its body, and no status."""

    status: int
    head: bytes
    body: bytes
    time_us: int
    first_us: int = 0
    namespaces: tuple[tuple[str, str], ...] | None = ()
    seen: Mentions | None = None
    redirects: tuple[bytes, ...] = ()
    _json: Any = MISSING
    _unread: Why | None = None
    _xml: Any = None

    @property
    def headers(self) -> list[tuple[str, str]]:
        return headers_of(self.head)

    def header_values(self, name: str) -> list[str]:
        wanted = name.lower()
        return [value for key, value in self.headers if key.lower() == wanted]

    @property
    def media_type(self) -> str:
        """The media type without its parameters, in lower case; empty if the answer has none."""
        values = self.header_values("content-type")
        return values[0].partition(";")[0].strip().lower() if values else ""

    @property
    def charset(self) -> str:
        """The declared charset in lower case; empty if none is declared."""
        for value in self.header_values("content-type"):
            for part in value.split(";")[1:]:
                key, _, charset = part.strip().partition("=")
                if key.lower() == "charset" and charset:
                    return charset.strip("\"' ").lower()
        return ""

    def text(self) -> str | Why:
        """The body as text in its declared charset (else what its first octets mark, else UTF-8),
        or why it is none."""
        charset = self.charset or _marked(self.body)
        codec = codec_of(charset)
        if codec is None:
            return why("no-charset", charset=charset)
        try:
            return self.body.removeprefix(_BOM).decode(codec)
        except UnicodeDecodeError:
            return why("not-text", charset=charset)

    @property
    def looks_json(self) -> bool:
        """Whether the body begins as an object or a list in UTF-8 does."""
        body = self.body
        return bool(body) and body[0] in _OPENING

    def document(self) -> Any:
        """The body as a plain value, if it begins as an object or a list in UTF-8 does, else
        MISSING. Raises Blocked as `json` does."""
        if self._json is not MISSING:
            return self._json
        body = self.body  # as `looks_json` says, for a call less
        return self._read(True) if body and body[0] in _OPENING else MISSING

    def json(self) -> Any:
        """The body as a plain value; MISSING if it is not JSON (`unread` then says why).

        Raises Blocked if it is nested deeper than the limit, which blocks the step whoever asks."""
        return self._json if self._json is not MISSING else self._read(self.looks_json)

    def _read(self, looks_json: bool) -> Any:
        if self._unread is None:
            try:
                seen = self.seen or mentions(self.head)
                as_it_is = looks_json and not (seen.charset and self._strange())
                text = self.body if as_it_is else self._json_text()
                self._json = _read_lines(text) if seen.lines else plain.read_json(text)
            except plain.NotPlain as problem:
                if problem.too_deep:
                    raise Blocked(why("too-deep", levels=LEVELS)) from None
                self._unread = self._why_no_json(str(problem))
        return self._json

    def _why_no_json(self, problem: str) -> Why:
        if not self.body:
            return why("empty-body", path="$")
        if self.body.lstrip(_BLANKS).startswith(b"<"):
            return why("not-json-but-marked-up")
        return why("not-json", problem=problem)

    def _strange(self) -> bool:
        """Whether another charset than UTF-8 is declared. JSON is UTF-8 (RFC 8259); some servers
        think otherwise."""
        return (self.charset or "utf-8") not in _UTF8

    def _json_text(self) -> str | bytes:
        text = self.text()
        return text if isinstance(text, str) else self.body

    @property
    def unread(self) -> Why | None:
        return self._unread

    def xml(self) -> Any:
        """The body as an `xml_tree.Document`, or the reason (Why) why it is none. Raises Blocked if
        it is nested too deeply."""
        if self._xml is None:
            from saltpath.core.paths import xml_tree

            try:
                self._xml = (
                    xml_tree.read_xml(self.body, self.charset)
                    if self.body
                    else why("empty-body", path="/")
                )
            except xml_tree.NotXml as problem:
                self._xml = why("not-xml", problem=str(problem))
        return self._xml


def _read_lines(text: str | bytes) -> list[Any]:
    """JSON Lines as a list: an item for each line that is not empty. Raises NotPlain with the
    line."""
    items = []
    for number, line in enumerate(
        (text.encode() if isinstance(text, str) else text).split(b"\n"), 1
    ):
        if line.strip():
            try:
                items.append(plain.read_json(line))
            except plain.NotPlain as problem:
                if problem.too_deep:
                    raise
                raise plain.NotPlain(f"line {number}: {problem}") from None
    return items


def _marked(body: bytes) -> str:
    if body.startswith((b"\xff\xfe", b"\xfe\xff")):
        return "utf-16"
    return "utf-8"
