"""The ways in which a text may be written in what is sent or received: two tables of small
functions, each with its standard.

`FORMS` give what is looked for as it stands. `ESCAPES` are undone, one level after another, with
the place of every character known, so that a text is found however it was escaped, also in part and
several times over. Everything here works on octets as characters of the same number, in which UTF-8
stays what it is.
"""

from __future__ import annotations

import base64
import re
from bisect import bisect_right
from collections.abc import Callable, Iterable
from itertools import islice

from msgspec import Struct

from saltpath.core.values.errors import SaltPathError

LEAST = 4
"""A text of fewer octets is not looked for in base64 and hexadecimal: what it becomes there stands
in every picture and hash."""


def as_octets(text: str) -> str:
    """A text's UTF-8 as characters of the octets' numbers."""
    return text.encode("utf-8", "surrogatepass").decode("latin-1")


def as_text(octets: str) -> str:
    return octets.encode("latin-1").decode("utf-8", "surrogatepass")


# ---- what is looked for

FORMS: dict[str, Callable[[str], list[str]]] = {}


def _form(name: str) -> Callable[[Callable[[str], list[str]]], None]:
    def register(written: Callable[[str], list[str]]) -> None:
        FORMS[name] = written

    return register


@_form("as it is")
def _plain(text: str) -> list[str]:
    """Also as forms write it, a plus sign for each space (WHATWG URL,
    application/x-www-form-urlencoded)."""
    return [as_octets(text), as_octets(text).replace(" ", "+")]


@_form("base64")
def _base64(text: str) -> list[str]:
    """What stays the same of it in base64 (RFC 4648), whatever stands before and behind: once for
    each way that it can lie; and so in the alphabet for addresses."""
    octets = text.encode("utf-8", "surrogatepass")
    if len(octets) < LEAST:
        return []
    found = []
    for before in range(3):
        whole = base64.b64encode(bytes(before) + octets).decode()
        piece = whole[(before * 8 + 5) // 6 : (before + len(octets)) * 8 // 6]
        found += [piece, piece.replace("+", "-").replace("/", "_")]
    return found


@_form("hexadecimal")
def _hexadecimal(text: str) -> list[str]:
    """Its octets as digits of either case."""
    digits = text.encode("utf-8", "surrogatepass").hex()
    return [digits, digits.upper()] if len(digits) >= 2 * LEAST else []


@_form("UTF-16")
def _wide(text: str) -> list[str]:
    """Of either byte order."""
    return [
        text.encode(name, "surrogatepass").decode("latin-1")
        for name in ("utf-16-le", "utf-16-be")
        if len(text) >= LEAST
    ]


# ---- what is undone


class Escape(Struct, frozen=True):
    """`pattern`: one escaped character, in octets; `undone`: what it stands for, in octets."""

    pattern: str
    undone: Callable[[str], str]


_NAMES = {"amp": "&", "lt": "<", "gt": ">", "quot": '"', "apos": "'"}
_SHORT = {"b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t"}


def _of_json(found: str) -> str:
    if found[1] != "u":
        return _SHORT.get(found[1], found[1])
    units = bytes.fromhex(found.replace("\\u", ""))
    return as_octets(units.decode("utf-16-be", "surrogatepass"))


def _of_xml(found: str) -> str:
    name = found[1:-1]
    if name in _NAMES:
        return _NAMES[name]
    number = int(name[2:], 16) if name[1] in "xX" else int(name[1:])
    return as_octets(chr(number)) if number < 0x110000 else found


ESCAPES: dict[str, Escape] = {
    # RFC 3986
    "percent": Escape(r"%[0-9A-Fa-f]{2}", lambda found: chr(int(found[1:], 16))),
    # RFC 8259; two units make one character
    "JSON": Escape(
        r"\\u[dD][89abAB][0-9A-Fa-f]{2}\\u[dD][c-fC-F][0-9A-Fa-f]{2}"
        r"|\\u[0-9A-Fa-f]{4}|\\[\"\\/bfnrt]",
        _of_json,
    ),
    # XML 1.0, 4.1 and 4.6
    "XML": Escape(r"&(?:#[0-9]{1,9}|#[xX][0-9A-Fa-f]{1,8}|amp|lt|gt|quot|apos);", _of_xml),
}
MOST_LEVELS = 5
MOST_ESCAPES = 300_000


class TooManyEscapes(SaltPathError):
    """A text holds so many that undoing them would hold up everything else."""

    code = "too-many"


class Level:
    """A text with one level of escapes undone. `back` tells where a stretch of it stood before."""

    __slots__ = ("_at", "_was", "text")

    def __init__(self, text: str, matches: list[tuple[int, int, str]]) -> None:
        pieces: list[str] = []
        self._at: list[int] = []  # where each piece begins in this text
        self._was: list[tuple[int, int, bool]] = []  # where it stood, and whether as it is
        length = end = 0
        for start, stop, undone in [*matches, (len(text), len(text), "")]:
            for piece, was, plain in (
                (text[end:start], (end, start), True),
                (undone, (start, stop), False),
            ):
                if piece:
                    pieces.append(piece)
                    self._at.append(length)
                    self._was.append((*was, plain))
                    length += len(piece)
            end = stop
        self.text = "".join(pieces)

    def back(self, start: int, end: int) -> tuple[int, int]:
        first, last = bisect_right(self._at, start) - 1, bisect_right(self._at, end - 1) - 1
        begin, _, plain = self._was[first]
        begin += start - self._at[first] if plain else 0
        from_, to, plain = self._was[last]
        return begin, from_ + end - self._at[last] if plain else to


def undone(text: str, kinds: Iterable[str]) -> Level | None:
    """One level of some kinds of escapes undone; None where there are none. Raises
    TooManyEscapes."""
    escapes = [ESCAPES[kind] for kind in kinds]
    # the module keeps it compiled
    pattern = re.compile("|".join(f"({escape.pattern})" for escape in escapes))
    matches = [
        (match.start(), match.end(), escapes[(match.lastindex or 1) - 1].undone(match[0]))
        for match in islice(pattern.finditer(text), MOST_ESCAPES)
    ]
    if len(matches) == MOST_ESCAPES:
        raise TooManyEscapes
    return Level(text, matches) if matches else None


def ways_back() -> list[tuple[str, ...]]:
    """Which kinds are undone together: all, for what was escaped in one way and then in another;
    and each alone, since a text may itself hold what looks like an escape of another kind."""
    return [tuple(ESCAPES), *((kind,) for kind in ESCAPES)]
