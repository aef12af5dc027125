"""Secret values never leave the engine: they are replaced in everything that an event carries.

Authorization and Cookie are always masked. A secret is looked for as it is, percent-encoded and JSON-escaped. A short
one (under 6 characters) is replaced only where it stands by itself, so that a PIN of `1` does not blacken every number.
"""

from __future__ import annotations

import re
from typing import Any
from urllib.parse import quote, quote_plus

from saltpath.core import plain
from saltpath.core.exchange import MASK, Exchange
from saltpath.core.why import Why

_ALWAYS = re.compile(rb"(?im)^((?:proxy-)?authorization|cookie):[ \t]*([^\r\n]*)")
_SHORT = 6


class Masker:
    """Holds the run's secrets, and replaces them."""

    def __init__(self) -> None:
        self.any = False  # whether there is any secret value at all
        self._texts: set[str] = set()
        self._octets: tuple[bytes, ...] = ()
        self._text_pattern: re.Pattern[str] | None = None
        self._bytes_pattern: re.Pattern[bytes] | None = None

    def add(self, value: Any) -> None:
        """Take a secret value. Lists and objects give each text and number in them."""
        if isinstance(value, (list, dict)):
            for item in value.values() if isinstance(value, dict) else value:
                self.add(item)
            return
        if value is None or isinstance(value, bool):
            return
        text = plain.as_text(value)
        forms = {text, quote(text, safe=""), quote_plus(text), plain.write_json(text).decode()[1:-1]}
        if not text or forms <= self._texts:
            return
        self.any = True
        self._texts |= forms
        self._octets = tuple(form.encode() for form in self._texts)
        pattern = "|".join(_form(form) for form in sorted(self._texts, key=len, reverse=True))
        self._text_pattern = re.compile(pattern)
        self._bytes_pattern = re.compile(pattern.encode())

    def concerns(self, exchange: Exchange) -> bool:
        """Whether there may be something to mask. Without secrets in the run, only a request's head that carries
        Authorization or Cookie has it; a cheap look before the pattern."""
        if self.any:
            return True
        lower = exchange.sent_head.lower()
        return b"authorization" in lower or b"cookie" in lower

    def head(self, head: bytes) -> bytes:
        """A request's head: Authorization and Cookie by name, all else by value."""
        return self.octets(_ALWAYS.sub(_only_scheme, head))

    def octets(self, data: bytes) -> bytes:
        if self._bytes_pattern is None or not any(form in data for form in self._octets):
            return data  # looking for each is a hundred times faster than the pattern
        return self._bytes_pattern.sub(MASK.encode(), data)

    def text(self, text: str) -> str:
        return self._text_pattern.sub(MASK, text) if self._text_pattern else text

    def value(self, value: Any) -> Any:
        """A plain value with its secrets masked; the same object if there are no secrets at all."""
        if self._text_pattern is None:
            return value
        if isinstance(value, str):
            return self.text(value)
        if isinstance(value, list):
            return [self.value(item) for item in value]
        if isinstance(value, dict):
            return {self.text(key): self.value(item) for key, item in value.items()}
        if plain.is_number(value):
            return MASK if plain.as_text(value) in self._texts else value
        return value

    def why(self, reason: Why | None) -> Why | None:
        if reason is None or self._text_pattern is None:
            return reason
        return Why(reason.code, self.value(dict(reason.params)))


def _only_scheme(found: re.Match[bytes]) -> bytes:
    scheme = found[2].split(b" ")[0] if b" " in found[2] and found[1].lower() != b"cookie" else b""
    return found[1] + b": " + (scheme + b" " if scheme else b"") + MASK.encode()


def _form(text: str) -> str:
    escaped = re.escape(text)
    return rf"(?<![A-Za-z0-9]){escaped}(?![A-Za-z0-9])" if len(text) < _SHORT else escaped
