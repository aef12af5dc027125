"""Texts that a pattern matches as a whole, made rather than searched: for `[=any text matching
...]`.

The pattern is taken apart by Python's own parser; what repeats without end is repeated at most
eight times more than it must be. Looking around, and what depends on it, cannot be made and is
refused.
"""

from __future__ import annotations

import re
import warnings
from typing import Any

from msgspec import Struct

from saltpath.core.values.draw import Draw
from saltpath.core.values.grammar import Unreadable

MORE = 8
LONGEST = 10_000
_PRINTABLE = tuple(range(0x20, 0x7F))
_CATEGORIES = {
    "CATEGORY_DIGIT": tuple(range(0x30, 0x3A)),
    "CATEGORY_SPACE": (0x20,),
    "CATEGORY_WORD": tuple(
        ord(c) for c in "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789_"
    ),
}


class Shape(Struct, frozen=True):
    """A pattern that texts can be made from."""

    pattern: str
    parts: Any

    def text(self, draw: Draw) -> str:
        out: list[str] = []
        _make(self.parts, draw, out, {})
        return "".join(out)


def read_shape(pattern: str) -> Shape:
    """Raises Unreadable: no pattern, or one that no text can be made from."""
    parser: Any = re._parser  # type: ignore[attr-defined]
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            parts = parser.parse(pattern)
        _look(parts)
        shape = Shape(pattern, parts)
        shape.text(Draw("trial", pattern))
    except (re.error, RecursionError, OverflowError) as problem:
        raise Unreadable(f"the pattern {pattern!r} cannot be read: {problem}") from None
    return shape


_KNOWN = frozenset(
    "LITERAL NOT_LITERAL ANY IN BRANCH SUBPATTERN ATOMIC_GROUP MAX_REPEAT MIN_REPEAT "
    "POSSESSIVE_REPEAT GROUPREF AT".split()
)


def _look(parts: Any) -> None:
    for op, argument in parts:
        name = str(op)
        if name not in _KNOWN or (name == "AT" and "BOUNDARY" in str(argument)):
            raise Unreadable(
                "no text can be made from a pattern that looks around; leave that part out"
            )
        for inner in _inner(name, argument):
            _look(inner)


def _inner(name: str, argument: Any) -> list[Any]:
    if name == "BRANCH":
        return list(argument[1])
    if name in ("MAX_REPEAT", "MIN_REPEAT", "POSSESSIVE_REPEAT"):
        return [argument[2]]
    if name == "SUBPATTERN":
        return [argument[3]]
    return [argument] if name == "ATOMIC_GROUP" else []


def _make(parts: Any, draw: Draw, out: list[str], groups: dict[int, str]) -> None:
    for op, argument in parts:
        name = str(op)
        if name == "LITERAL":
            out.append(chr(argument))
        elif name == "NOT_LITERAL":
            out.append(chr(draw.of([code for code in _PRINTABLE if code != argument])))
        elif name == "ANY":
            out.append(chr(draw.of(_PRINTABLE)))
        elif name == "IN":
            out.append(chr(_of_class(argument, draw)))
        elif name == "BRANCH":
            _make(draw.of(argument[1]), draw, out, groups)
        elif name == "SUBPATTERN":
            begin = len(out)
            _make(argument[3], draw, out, groups)
            if argument[0] is not None:
                groups[argument[0]] = "".join(out[begin:])
        elif name == "ATOMIC_GROUP":
            _make(argument, draw, out, groups)
        elif name == "GROUPREF":
            out.append(groups.get(argument, ""))
        elif name != "AT":
            least, most, inner = int(argument[0]), argument[1], argument[2]
            for _ in range(draw.between(least, max(least, min(int(most), least + MORE)))):
                _make(inner, draw, out, groups)
                if len(out) > LONGEST:
                    raise Unreadable(f"the pattern makes texts of more than {LONGEST} characters")


def _of_class(items: Any, draw: Draw) -> int:
    """A character of a class: a range is one choice however long it is, unless the class is
    negated."""
    negated = bool(items) and str(items[0][0]) == "NEGATE"
    choices = [_codes(op, argument) for op, argument in (items[1:] if negated else items)]
    if negated:
        taken = {code for codes in choices for code in codes}
        left = [code for code in _PRINTABLE if code not in taken]
        if not left:
            raise Unreadable("a class of the pattern leaves no character that can be printed")
        return int(draw.of(left))
    codes = [code for some in choices for code in some]
    return int(draw.of(codes))


def _codes(op: Any, argument: Any) -> Any:
    name = str(op)
    if name == "LITERAL":
        return (argument,)
    if name == "RANGE":
        return range(argument[0], argument[1] + 1)
    category = str(argument)
    if category in _CATEGORIES:
        return _CATEGORIES[category]
    opposite = _CATEGORIES[category.replace("_NOT_", "_")]
    return tuple(code for code in _PRINTABLE if code not in opposite)
