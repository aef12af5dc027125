"""Pipes on text: kinds, cleaning, cutting, replacing, splitting."""

from __future__ import annotations

import re
from decimal import Decimal
from typing import Any
from urllib.parse import quote

from saltpath.core.paths import offloading, patterns
from saltpath.core.references.pipes.table import PATTERN_LIMIT_S, Unfit, pipe, text_of
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable, unquote


@pipe("text", "any value as text", (15, "text", "15"))
def _text(value: Any) -> str:
    if value is None:
        raise Unfit("null has no text; put | default before it")
    return plain.as_text(value)


@pipe("number", "text as a number, exactly as written", ("23.40", "number", Decimal("23.40")))
def _number(value: Any) -> Any:
    if plain.is_number(value):
        return value
    found = plain.number_in(value) if isinstance(value, str) else None
    if found is None:
        raise Unfit("it is not a number")
    return found


@pipe(
    "integer",
    "text or a number as a whole number; one with a fraction does not fit",
    ("15.0", "integer", 15),
)
def _integer(value: Any) -> int:
    number = _number(value)
    if plain.too_long(number) or plain.kind_of(number) != "integer":
        raise Unfit("it is not a whole number")
    return int(number)


@pipe("boolean", "the text true or false as the value", ("true", "boolean", True))
def _boolean(value: Any) -> bool:
    if isinstance(value, bool):
        return value
    if isinstance(value, str) and value.strip().lower() in ("true", "false"):
        return value.strip().lower() == "true"
    raise Unfit("it is neither true nor false")


@pipe("json", "a text that is JSON, read", ('{"code": "PIL"}', "json", {"code": "PIL"}))
def _json(value: Any) -> Any:
    try:
        return plain.read_json(text_of(value))
    except plain.NotPlain as problem:
        raise Unfit(f"it is not JSON: {problem}") from None


@pipe("trim", "without white space at both ends", ("  Saltwife ", "trim", "Saltwife"))
def _trim(value: Any) -> str:
    return text_of(value).strip()


@pipe("upper", "in capital letters", ("Saltwife", "upper", "SALTWIFE"))
def _upper(value: Any) -> str:
    return text_of(value).upper()


@pipe("lower", "in small letters", ("East 4", "lower", "east 4"))
def _lower(value: Any) -> str:
    return text_of(value).lower()


def _read_cut(rest: str) -> tuple[Any, ...]:
    found = re.fullmatch(r"(\d+)(?: to (\d+))?", rest)
    if not found:
        raise Unreadable(f"cut is written: cut 0 to 5, or cut 3; found {rest!r}")
    return int(found[1]), int(found[2]) if found[2] else None


@pipe(
    "cut",
    "the characters from one place to another, counted from 0, the end left out",
    ("PC-20931", "cut 3 to 8", "20931"),
    "cut A to B",
    _read_cut,
)
def _cut(value: Any, begin: int, end: int | None) -> str:
    return text_of(value)[begin:end]


_QUOTED = r""""(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'"""


def _read_replace(rest: str) -> tuple[Any, ...]:
    found = re.fullmatch(f"({_QUOTED}|/(?:[^/\\\\]|\\\\.)*/) with ({_QUOTED})", rest)
    if not found:
        raise Unreadable(
            f'replace is written: replace "a" with "b", or replace /a+/ with "b"; found {rest!r}'
        )
    new = unquote(found[2])
    if found[1][0] != "/":
        return None, unquote(found[1]), new
    pattern = found[1][1:-1].replace("\\/", "/")
    try:
        patterns.compile_pattern(pattern)
    except patterns.PatternError as problem:
        raise Unreadable(f"the pattern {found[1]} cannot be read: {problem}") from None
    return pattern, "", re.sub(r"\$(\d)", r"\\g<\1>", new.replace("\\", "\\\\"))


@pipe(
    "replace",
    "every place of a text, or of a pattern, with another text",
    ("EAST 4", 'replace "EAST" with "E"', "E 4"),
    'replace "A" with "B"',
    _read_replace,
)
def _replace(value: Any, pattern: str | None, old: str, new: str) -> str:
    text = text_of(value)
    if pattern is None:
        return text.replace(old, new)
    try:
        return str(patterns.tried(patterns.Replace(pattern, new, text)))
    except offloading.TooSlow:
        raise Unfit(
            f"the pattern was still searching after {PATTERN_LIMIT_S * 1000:.0f} ms"
        ) from None
    except (patterns.PatternError, IndexError) as problem:
        raise Unfit(str(problem)) from None


def read_one_text(name: str) -> Any:
    """Reads one text in quotes."""

    def read(rest: str) -> tuple[Any, ...]:
        try:
            return (unquote(rest),)
        except Unreadable:
            raise Unreadable(f'{name} is written: {name} ","; found {rest!r}') from None

    return read


@pipe(
    "split",
    "a text at every place of another, as a list",
    ("TON,PIL", 'split ","', ["TON", "PIL"]),
    'split ","',
    read_one_text("split"),
)
def _split(value: Any, at: str) -> list[str]:
    return text_of(value).split(at) if at else list(text_of(value))


def _read_default(rest: str) -> tuple[Any, ...]:
    if rest[:1] in ("'", '"'):
        return (unquote(rest),)
    try:
        return (plain.read_json(rest),)
    except plain.NotPlain:
        raise Unreadable(
            f'default is written: default "text", default 0 or default null; found {rest!r}'
        ) from None


@pipe(
    "default",
    "another value where there is none, or null",
    (None, 'default "none"', "none"),
    'default "X"',
    _read_default,
    each=False,
)
def _default(value: Any, other: Any) -> Any:
    return other if value is None else value


@pipe("url", "percent-encoded, as inside an address", ("East 4/b", "url", "East%204%2Fb"))
def _url(value: Any) -> str:
    return quote(_text(value), safe="")
