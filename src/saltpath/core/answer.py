"""An answer as the checks see it: status, headers, times and the decoded body, read as JSON or text when first asked."""

from __future__ import annotations

from dataclasses import dataclass, field
from typing import Any

from saltpath.core import plain
from saltpath.core.jsonpath import MISSING
from saltpath.core.why import Blocked, Why, why

LEVELS = 1000


def headers_of(head: bytes) -> list[tuple[str, str]]:
    """The last head's header lines (an informational 1xx head may come before it)."""
    try:
        text = head.decode()
    except UnicodeDecodeError:
        text = head.decode("latin-1")
    headers: list[tuple[str, str]] = []
    for line in text.split("\r\n"):
        if line[:5] == "HTTP/":
            headers.clear()
            continue
        name, colon, value = line.partition(":")
        if colon:
            headers.append((name, value.strip()))
    return headers


@dataclass(slots=True)
class Answer:
    """`time_us` covers the whole last exchange, connecting included; `head` is the answer's head as it came, `body` is
    decoded (no content encoding)."""

    status: int
    head: bytes
    body: bytes
    time_us: int
    _json: Any = field(default=MISSING, repr=False)
    _unread: Why | None = field(default=None, repr=False)

    @property
    def looks_json(self) -> bool:
        """Whether the body begins as an object or a list does."""
        return self.body.startswith((b"{", b"["))

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
        for value in self.header_values("content-type"):
            for part in value.split(";")[1:]:
                key, _, charset = part.strip().partition("=")
                if key.lower() == "charset" and charset:
                    return charset.strip("\"' ")
        return "utf-8"

    def text(self) -> str | Why:
        """The body as text in its declared charset, or why it is none."""
        try:
            return self.body.decode(self.charset)
        except (UnicodeDecodeError, LookupError):
            return why("not-text", charset=self.charset)

    def json(self) -> Any:
        """The body as a plain value; MISSING if it is not JSON (`unread` then says why).

        Raises Blocked if it is nested deeper than the limit, which blocks the step whoever asks."""
        if self._json is not MISSING:
            return self._json
        if self._unread is None:
            try:
                self._json = plain.read_json(self.body)
            except plain.NotPlain as problem:
                if problem.too_deep:
                    raise Blocked(why("too-deep", levels=LEVELS)) from None
                self._unread = why("not-json", problem=str(problem)) if self.body else why("empty-body", path="$")
        return self._json

    @property
    def unread(self) -> Why | None:
        return self._unread
