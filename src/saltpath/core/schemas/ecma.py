"""Patterns as JSON Schema has them (ECMA-262, with Unicode) in the syntax of the `regex`
package."""

from __future__ import annotations

import re
from collections.abc import Callable
from functools import lru_cache

_DIGITS, _WORD = "0-9", "A-Za-z0-9_"
_BLANKS = r"\t\n\v\f\r \u00a0\ufeff\u1680\u2000-\u200a\u2028\u2029\u202f\u205f\u3000"
_SETS = {"d": _DIGITS, "w": _WORD, "s": _BLANKS}
_IS, _NOT = f"(?<=[{_WORD}])", f"(?<![{_WORD}])"
_NEXT, _NOT_NEXT = f"(?=[{_WORD}])", f"(?![{_WORD}])"
_EDGES = {
    "b": f"(?:{_IS}{_NOT_NEXT}|{_NOT}{_NEXT})",
    "B": f"(?:{_IS}{_NEXT}|{_NOT}{_NOT_NEXT})",
}
_LINE_ENDS = r"\n\r\u2028\u2029"
_HEX = re.compile(r"u\{([0-9a-fA-F]{1,6})\}|u([0-9a-fA-F]{4})|x([0-9a-fA-F]{2})")
_CONTROL = re.compile(r"c([A-Za-z])")
_NUMBER = re.compile(r"[1-9][0-9]*")
_NAMED = re.compile(r"k<([^>]+)>")
_PROPERTY = re.compile(r"[pP]\{[^}]+\}")


@lru_cache(maxsize=2000)
def translated(pattern: str) -> str:
    """The pattern in the other syntax; what neither knows stays, and is refused when it is
    compiled. Raises ValueError for an escape that ECMA-262 does not have."""
    out: list[str] = []
    at, in_class = 0, False
    while at < len(pattern):
        char = pattern[at]
        if char == "\\" and at + 1 < len(pattern):
            text, at = _escape(pattern, at + 1, in_class)
            out.append(text)
            continue
        if in_class:
            in_class = char != "]"
            doubled = char in "&~|" and pattern[at + 1 : at + 2] == char
            out.append("\\" + char if char == "[" or doubled else char)
        elif char == "[":
            begun, taken, in_class = _class(pattern, at)
            out.append(begun)
            at += taken
            continue
        elif (
            char == "("
            and pattern.startswith("(?<", at)
            and pattern[at + 3 : at + 4] not in ("=", "!")
        ):
            out.append("(?P<")
            at += 3
            continue
        else:
            out.append({"$": r"(?![\s\S])", ".": f"[^{_LINE_ENDS}]"}.get(char, char))
        at += 1
    return "".join(out)


def _class(pattern: str, at: int) -> tuple[str, int, bool]:
    """How a class begins, how many characters that takes, whether it goes on. `[]` matches nothing,
    `[^]` anything."""
    if pattern.startswith("[^]", at):
        return r"[\s\S]", 3, False
    if pattern.startswith("[]", at):
        return "(?!)", 2, False
    return ("[^", 2, True) if pattern.startswith("[^", at) else ("[", 1, True)


def _escape(pattern: str, at: int, in_class: bool) -> tuple[str, int]:
    """What stands for an escape whose letter is at `at`, and where the pattern goes on."""
    letter = pattern[at]
    if letter.lower() in _SETS:
        inside = _SETS[letter.lower()]
        if letter.islower():
            return (inside if in_class else f"[{inside}]"), at + 1
        return (_others(inside) if in_class else f"[^{inside}]"), at + 1
    if letter in "bB":
        return (r"\x08" if in_class else _EDGES[letter]), at + 1
    for form, made in _FORMS:
        found = form.match(pattern, at)
        if found:
            return made(found), found.end()
    if letter in "tnvfr":
        return "\\" + letter, at + 1
    if letter == "0":
        return r"\x00", at + 1
    if letter.isalpha():
        raise ValueError(f"\\{letter} is no escape")
    return "\\" + letter, at + 1


def _code(found: re.Match[str]) -> str:
    return f"\\U{int(found[1] or found[2] or found[3], 16):08x}"


_FORMS: tuple[tuple[re.Pattern[str], Callable[[re.Match[str]], str]], ...] = (
    (_HEX, _code),
    (_CONTROL, lambda found: f"\\x{ord(found[1]) % 32:02x}"),
    (_NUMBER, lambda found: f"(?:\\{found[0]})"),
    (_NAMED, lambda found: f"(?P={found[1]})"),
    (_PROPERTY, lambda found: "\\" + found[0]),
)


@lru_cache(maxsize=8)
def _others(inside: str) -> str:
    """Every character that a class does not have, as ranges for within a class."""
    taken = re.compile(f"[{inside}]")
    edges, last = [], 0
    for code in [*(code for code in range(0x10000) if taken.match(chr(code))), 0x110000]:
        if code > last:
            edges.append(f"\\U{last:08x}-\\U{code - 1:08x}")
        last = code + 1
    return "".join(edges)
