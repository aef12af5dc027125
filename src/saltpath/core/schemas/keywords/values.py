"""Keywords that look at a value alone: its type, numbers, texts."""

from __future__ import annotations

from collections.abc import Callable
from decimal import Decimal
from typing import TYPE_CHECKING, Any

from saltpath.core.paths import patterns
from saltpath.core.schemas.documents import Unusable
from saltpath.core.schemas.ecma import translated
from saltpath.core.schemas.keywords.table import keyword, number, shown, whole
from saltpath.core.schemas.nodes import TYPES, Test, leaf
from saltpath.core.values import plain, text_formats
from saltpath.core.values.measures import counted
from saltpath.core.values.nearest import listed

if TYPE_CHECKING:
    from saltpath.core.schemas.compiling import Context

_NUMBERS: tuple[type, ...] = (int, Decimal)
_TYPES: dict[str, tuple[type, ...]] = {
    "null": (type(None),),
    "boolean": (bool,),
    "integer": _NUMBERS,
    "number": _NUMBERS,
    "string": (str,),
    "array": (list,),
    "object": (dict,),
}
_WORDS = {
    "string": "text",
    "array": "a list",
    "number": "a number",
    "integer": "an integer",
    "boolean": "a boolean",
    "object": "an object",
    "null": "null",
}


def either(words: list[str]) -> str:
    return f"{', '.join(words[:-1])} or {words[-1]}" if len(words) > 1 else words[0]


@keyword("type")
def _type(wanted: Any, context: Context) -> Test:
    named = wanted if isinstance(wanted, list) else [wanted]
    if not named or not all(isinstance(name, str) and name in _TYPES for name in named):
        raise ValueError
    allowed = {kind for name in named for kind in _TYPES[name]}
    said = either([_WORDS[name] for name in named])
    if "integer" in named and "number" not in named:
        # 1.0 is an integer since draft 6
        fits = (lambda value: False) if context.draft == 4 else _is_whole
        return leaf(
            TYPES,
            "type",
            lambda value: fits(value) if type(value) is Decimal else type(value) in allowed,
            lambda value: f"{shown(value)} is {plain.with_kind(value)}, not {said}",
        )
    return leaf(
        tuple(kind for kind in TYPES if kind not in allowed),
        "type",
        lambda value: False,
        lambda value: f"{shown(value)} is {plain.with_kind(value)}, not {said}",
    )


def _is_whole(value: Decimal) -> bool:
    return plain.kind_of(value) == "integer"


@keyword("enum")
def _enum(wanted: Any, context: Context) -> Test:
    if not isinstance(wanted, list):
        raise TypeError
    said = listed([shown(value) for value in wanted], 10)
    return leaf(
        TYPES,
        "enum",
        lambda value: any(plain.same(value, one) for one in wanted),
        lambda value: f"{shown(value)} is none of {said}",
    )


@keyword("const", since=6)
def _const(wanted: Any, context: Context) -> Test:
    return leaf(
        TYPES,
        "const",
        lambda value: plain.same(value, wanted),
        lambda value: f"{shown(value)} is not {shown(wanted)}",
    )


def _bound(name: str, holds: Callable[[Any, Any], bool], wrong: str, *, since: int = 4) -> None:
    """A keyword that compares a number with one; `wrong` says how it is not."""

    @keyword(name, since=since)
    def _make(wanted: Any, context: Context) -> Test:
        limit = number(wanted)
        word = wrong
        compare = holds
        if context.draft == 4 and context.schema.get(f"exclusive{name.capitalize()}") is True:
            compare, word = _STRICT[name]
        return leaf(
            _NUMBERS,
            name,
            lambda value: compare(value, limit),
            lambda value: f"{shown(value)} is {word} {shown(limit)}",
        )


def _above(value: Any, limit: Any) -> bool:
    return bool(value > limit)


def _below(value: Any, limit: Any) -> bool:
    return bool(value < limit)


_STRICT = {"minimum": (_above, "not above"), "maximum": (_below, "not below")}
_bound("minimum", lambda value, limit: bool(value >= limit), "below")
_bound("maximum", lambda value, limit: bool(value <= limit), "above")
_bound("exclusiveMinimum", _above, "not above", since=6)
_bound("exclusiveMaximum", _below, "not below", since=6)


@keyword("multipleOf")
def _multiple_of(wanted: Any, context: Context) -> Test:
    step = number(wanted)
    if step <= 0 or plain.too_long(step):
        raise ValueError
    from fractions import Fraction  # a command without a schema does not wait for it

    part = Fraction(step)

    def holds(value: Any) -> bool:
        if type(value) is int and type(step) is int:
            return value % step == 0
        if plain.too_long(value):
            raise Unusable(
                f"whether {shown(value)} is a multiple of {shown(step)} is not worked out"
            )
        return Fraction(value) % part == 0

    return leaf(
        _NUMBERS,
        "multipleOf",
        holds,
        lambda value: f"{shown(value)} is no multiple of {shown(step)}",
    )


def counting(name: str, kind: type, thing: str) -> None:
    """A keyword that says how many there must be at least (`min...`) or at most."""
    at_least = name.startswith("min")
    asked = "at least {} are wanted" if at_least else "at most {} are allowed"

    @keyword(name)
    def _make(wanted: Any, context: Context) -> Test:
        limit = whole(wanted)

        def said(value: Any) -> str:
            subject = shown(value) if kind is str else "it"
            return f"{subject} has {counted(len(value), thing)}, {asked.format(limit)}"

        if at_least:
            return leaf((kind,), name, lambda value: len(value) >= limit, said)
        return leaf((kind,), name, lambda value: len(value) <= limit, said)


counting("minLength", str, "character")
counting("maxLength", str, "character")


def found(pattern: Any) -> Callable[[str], bool]:
    """Whether a pattern (ECMA-262) is anywhere in a text."""
    if not isinstance(pattern, str):
        raise TypeError
    try:
        ours = translated(pattern)
        patterns.compile_pattern(ours)
    except ValueError as problem:
        raise Unusable(f"the pattern {plain.cut(pattern, 200)} cannot be read: {problem}") from None
    return lambda text: patterns.Search(ours, text).answer()


@keyword("pattern")
def _pattern(wanted: Any, context: Context) -> Test:
    return leaf(
        (str,), "pattern", found(wanted), lambda value: f"{shown(value)} does not match {wanted}"
    )


@keyword("format", vocabulary="")
def _format(wanted: Any, context: Context) -> Test | None:
    form = text_formats.FORMATS.get(wanted) if isinstance(wanted, str) else None
    if form is None or form.name not in context.formats:
        return None
    holds, source = (is_pattern, "ECMA-262") if form.name == "regex" else (form.holds, form.source)
    return leaf((str,), "format", holds, lambda value: f"{shown(value)} is no {wanted} ({source})")


def is_pattern(text: str) -> bool:
    """The form `regex` means ECMA-262 in a schema."""
    try:
        found(text)
    except Unusable:
        return False
    return True
