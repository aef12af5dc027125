"""Secret values never leave the engine: they are replaced in everything that an event carries, in
whatever way they are written there (see encodings.py), and their beginnings where a text was cut.

Authorization and Cookie are always masked. A short secret (under 6 characters) is replaced only
where it stands by itself, so that a PIN of `1` does not blacken every number.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from saltpath.core.answers.exchange import MASK, Exchange
from saltpath.core.values import plain
from saltpath.core.values.why import MaskedWhy, Why, as_masked
from saltpath.engine.encodings import (
    FORMS,
    LEAST,
    MOST_LEVELS,
    Level,
    TooManyEscapes,
    as_octets,
    as_text,
    undone,
    ways_back,
)

_ALWAYS = re.compile(rb"(?im)^((?:proxy-)?authorization|cookie):[ \t]*([^\r\n]*)")
_RUN = re.compile(r"[A-Za-z0-9]{4,}")
_UNUSUAL = re.compile(r"%25|%[3-7][0-9A-Fa-f]|\\u00|&#|&amp;")
"""By this letters and digits are written otherwise than as themselves, also where that is escaped
once more."""
_SHORT = 6
_CUT = "…"
_MASK = as_octets(MASK)


class Masker:
    """Holds the run's secrets, and replaces them."""

    def __init__(self) -> None:
        self.any = False  # whether there is any secret value at all
        self._texts: set[str] = set()
        self._forms: dict[str, bool] = {}  # what is looked for, and whether only by itself
        # one of them is there wherever a secret is, if not written unusually
        self._needles: dict[str, None] = {}
        self._untold = False  # a secret has no such piece
        self._ends: set[str] = set()  # how a beginning of a form may end

    def copy(self) -> Masker:
        """One that knows the same, and learns for itself from now on."""
        masker = Masker()
        if self.any:
            masker.any, masker._untold = True, self._untold
            masker._texts, masker._forms = set(self._texts), dict(self._forms)
            masker._needles, masker._ends = dict(self._needles), set(self._ends)
        return masker

    def add(self, value: Any) -> None:
        """Take a secret value. Lists and objects give each text and number in them."""
        if isinstance(value, (list, dict)):
            for item in value.values() if isinstance(value, dict) else value:
                self.add(item)
            return
        if value is None or isinstance(value, bool):
            return
        text = plain.as_text(value)
        if not text or text in self._texts:
            return
        self.any = True
        self._texts.add(text)
        for name, written in FORMS.items():
            for form in written(text):
                self._forms[form] = len(text) < _SHORT and name == "as it is"
                self._ends.update(form[at : at + LEAST] for at in range(len(form) - LEAST))
                run = max(_RUN.findall(form), key=len, default="")
                self._needles[run or form] = None
                self._untold = self._untold or not (run or name == "UTF-16")

    def concerns(self, exchange: Exchange) -> bool:
        """Whether there may be something to mask. Without secrets in the run, only a request's head
        that carries Authorization or Cookie has it; a cheap look before the pattern."""
        if self.any:
            return True
        lower = exchange.sent_head.lower()
        return b"authorization" in lower or b"cookie" in lower

    def head(self, head: bytes) -> bytes:
        """A request's head: Authorization and Cookie by name, all else by value."""
        return self.octets(_ALWAYS.sub(_only_scheme, head))

    def octets(self, data: bytes, cut: bool = False) -> bytes:
        """`cut`: the data may end within a secret."""
        if not self.any:
            return data
        text = data.decode("latin-1")
        masked = self._masked(text)
        if cut:
            masked = self._without_end(masked)
        return data if masked is text else masked.encode("latin-1")

    def text(self, text: str) -> str:
        if not self.any:
            return text
        octets = as_octets(text)
        masked = self._masked(octets)
        # long values are masked before they are cut; what was cut elsewhere may end in a secret's
        # beginning
        if _CUT in text:
            *parts, last = masked.split(as_octets(_CUT))
            masked = as_octets(_CUT).join([*map(self._without_end, parts), last])
        return text if masked is octets else as_text(masked)

    def _masked(self, text: str) -> str:
        """The same object where there is nothing to mask."""
        try:
            spans = sorted(self._spans(text)) if self._may_hold(text) else []
        except TooManyEscapes:
            return _MASK  # withheld whole, since it cannot be told
        if not spans:
            return text
        pieces: list[str] = []
        end = 0
        for start, stop in spans:
            if start >= end:
                pieces += [text[end:start], _MASK]
            end = max(end, stop)
        return "".join([*pieces, text[end:]])

    def _may_hold(self, text: str) -> bool:
        if self._untold or any(needle in text for needle in self._needles):
            return True
        return _UNUSUAL.search(text) is not None

    def _spans(self, text: str) -> Iterator[tuple[int, int]]:
        """Where a secret stands, in the text and in each level of escapes undone."""
        yield from self._found(text)
        for kinds in ways_back():
            levels: list[Level] = []
            while len(levels) < MOST_LEVELS:
                level = undone(levels[-1].text if levels else text, kinds)
                if level is None:
                    break
                levels.append(level)
                for start, end in self._found(level.text):
                    for above in reversed(levels):
                        start, end = above.back(start, end)
                    yield start, end

    def _found(self, text: str) -> Iterator[tuple[int, int]]:
        for form, alone in self._forms.items():
            start = text.find(form)
            while start >= 0:
                end = start + len(form)
                if not alone or not (
                    _is_word(text[start - 1 : start]) or _is_word(text[end : end + 1])
                ):
                    yield start, end
                start = text.find(form, end)

    def _without_end(self, text: str) -> str:
        if text[-LEAST:] not in self._ends:
            return text
        for form in self._forms:
            for length in range(min(len(form) - 1, len(text)), LEAST - 1, -1):
                if text.endswith(form[:length]):
                    return text[:-length] + _MASK
        return text

    def value(self, value: Any) -> Any:
        """A plain value with its secrets masked; the same object if there are no secrets at all."""
        if not self.any:
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

    def uses(self, used: dict[str, Any]) -> dict[str, Any]:
        """What references resolved to."""
        return {text: {**use, "value": self.value(use["value"])} for text, use in used.items()}

    def why(self, reason: Why | None) -> MaskedWhy | None:
        if reason is None:
            return None
        return self.reason(reason)

    def reason(self, reason: Why) -> MaskedWhy:
        return as_masked(Why(reason.code, self.value(dict(reason.params))) if self.any else reason)

    def exchange(self, exchange: Exchange) -> Exchange:
        """One exchange as it may be kept. An answer's body that came compressed and holds a secret
        stands as it was decoded in the place of what was received, since nothing can be masked in
        there."""
        cut = exchange.why is not None
        body = self.octets(exchange.body, cut)
        as_it_came = exchange.raw_body == exchange.body
        raw = body if as_it_came or body != exchange.body else self.octets(exchange.raw_body, cut)
        return Exchange(
            exchange.method,
            self.text(exchange.address),
            self.head(exchange.sent_head),
            self.octets(exchange.sent_body),
            exchange.status,
            self.octets(exchange.received_head),
            raw,
            body,
            exchange.times,
            exchange.begun_us,
            exchange.reused,
            exchange.resent,
            self.why(exchange.why),
        )


def _is_word(char: str) -> bool:
    return char.isascii() and char.isalnum()


def _only_scheme(found: re.Match[bytes]) -> bytes:
    scheme = found[2].split(b" ")[0] if b" " in found[2] and found[1].lower() != b"cookie" else b""
    return found[1] + b": " + (scheme + b" " if scheme else b"") + MASK.encode()
