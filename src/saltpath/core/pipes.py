"""Pipes: what cleans a value on its way, `[=vesselName | trim | cut 0 to 5]`.

A table of small functions: one entry, one example that a test runs and the documentation shows. Text and number pipes
work on each item of a list. A pipe that does not fit its input blocks the step.
"""

from __future__ import annotations

import re
from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

import regex

from saltpath.core import jsonpath, plain
from saltpath.core.grammar import Pipe, Unreadable, unquote
from saltpath.core.nearest import nearest
from saltpath.core.why import Blocked, why

PATTERN_LIMIT_S = 0.2


@dataclass(frozen=True, slots=True)
class PipeKind:
    """One pipe. `shape` shows how it is written, `example` is (input, pipe as written, output)."""

    name: str
    shape: str
    about: str
    read: Callable[[str], tuple[Any, ...]]
    apply: Callable[..., Any]
    example: tuple[Any, str, Any]
    each: bool = True


class _Unfit(ValueError):
    """The pipe does not fit its input; the sentence says why."""


KINDS: dict[str, PipeKind] = {}


def _pipe(
    name: str,
    about: str,
    example: tuple[Any, str, Any],
    shape: str = "",
    read: Callable[[str], tuple[Any, ...]] | None = None,
    each: bool = True,
) -> Callable[[Callable[..., Any]], Callable[..., Any]]:
    def register(apply: Callable[..., Any]) -> Callable[..., Any]:
        KINDS[name] = PipeKind(name, shape or name, about, read or _nothing(name), apply, example, each)
        return apply

    return register


def _nothing(name: str) -> Callable[[str], tuple[Any, ...]]:
    def read(rest: str) -> tuple[Any, ...]:
        if rest:
            raise Unreadable(f"the pipe {name} takes nothing after it, found {rest!r}")
        return ()

    return read


def read_pipe(text: str) -> Pipe:
    """One pipe as written, `cut 0 to 5`. Raises Unreadable with the nearest known pipe."""
    name, _, rest = text.partition(" ")
    if name == "raw":
        return Pipe("raw", _nothing("raw")(rest.strip()), text)
    kind = KINDS.get(name)
    if kind is None:
        near = nearest(name, KINDS)
        raise Unreadable(f"there is no pipe {name!r}" + (f"; did you mean {near}?" if near else ""))
    return Pipe(name, kind.read(rest.strip()), text)


def apply_pipes(value: Any, pipes: tuple[Pipe, ...]) -> Any:
    """The value after its pipes, left to right. Raises Blocked."""
    for pipe in pipes:
        kind = KINDS[pipe.name]
        try:
            if kind.each and isinstance(value, list):
                value = [kind.apply(item, *pipe.args) for item in value]
            else:
                value = kind.apply(value, *pipe.args)
        except _Unfit as problem:
            raise Blocked(why("pipe", pipe=pipe.text, value=plain.show(value, 60), problem=str(problem))) from None
    return value


def _text_of(value: Any) -> str:
    if not isinstance(value, str):
        raise _Unfit(f"it is {plain.with_kind(value)}, not text; put | text before it")
    return value


@_pipe("text", "any value as text", (15, "text", "15"))
def _text(value: Any) -> str:
    if value is None:
        raise _Unfit("null has no text; put | default before it")
    return plain.as_text(value)


@_pipe("number", "text as a number, exactly as written", ("23.40", "number", 23.4))
def _number(value: Any) -> Any:
    if plain.is_number(value):
        return value
    found = plain.number_in(value) if isinstance(value, str) else None
    if found is None:
        raise _Unfit("it is not a number")
    return found


@_pipe("trim", "without white space at both ends", ("  Saltwife ", "trim", "Saltwife"))
def _trim(value: Any) -> str:
    return _text_of(value).strip()


@_pipe("upper", "in capital letters", ("Saltwife", "upper", "SALTWIFE"))
def _upper(value: Any) -> str:
    return _text_of(value).upper()


@_pipe("lower", "in small letters", ("East 4", "lower", "east 4"))
def _lower(value: Any) -> str:
    return _text_of(value).lower()


def _read_cut(rest: str) -> tuple[Any, ...]:
    found = re.fullmatch(r"(\d+)(?: to (\d+))?", rest)
    if not found:
        raise Unreadable(f"cut is written: cut 0 to 5, or cut 3; found {rest!r}")
    return int(found[1]), int(found[2]) if found[2] else None


@_pipe("cut", "the characters from one place to another, counted from 0, the end left out",
       ("PC-20931", "cut 3 to 8", "20931"), "cut A to B", _read_cut)  # fmt: skip
def _cut(value: Any, begin: int, end: int | None) -> str:
    return _text_of(value)[begin:end]


def _read_replace(rest: str) -> tuple[Any, ...]:
    found = re.fullmatch(
        r"""("(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*'|/(?:[^/\\]|\\.)*/) with ("(?:[^"\\]|\\.)*"|'(?:[^'\\]|\\.)*')""", rest
    )
    if not found:
        raise Unreadable(f'replace is written: replace "a" with "b", or replace /a+/ with "b"; found {rest!r}')
    new = unquote(found[2])
    if found[1][0] != "/":
        return None, unquote(found[1]), new
    try:
        return regex.compile(found[1][1:-1].replace("\\/", "/")), "", regex.sub(r"\$(\d)", r"\\g<\1>", new)
    except regex.error as problem:
        raise Unreadable(f"the pattern {found[1]} cannot be read: {problem}") from None


@_pipe("replace", "every place of a text, or of a pattern, with another text",
       ("EAST 4", 'replace "EAST" with "E"', "E 4"), 'replace "A" with "B"', _read_replace)  # fmt: skip
def _replace(value: Any, pattern: Any, old: str, new: str) -> str:
    text = _text_of(value)
    if pattern is None:
        return text.replace(old, new)
    try:
        return str(pattern.sub(new, text, timeout=PATTERN_LIMIT_S, concurrent=True))
    except TimeoutError:
        raise _Unfit("the pattern was still searching after 200 ms") from None
    except (regex.error, IndexError) as problem:
        raise _Unfit(str(problem)) from None


def _read_item(rest: str) -> tuple[Any, ...]:
    if not rest.isdigit() or int(rest) < 1:
        raise Unreadable(f"item is written: item 2, counted from 1; found {rest!r}")
    return (int(rest),)


@_pipe("item", "one item of a list, counted from 1", ([5, 6, 7], "item 2", 6), "item N", _read_item, each=False)
def _item(value: Any, number: int) -> Any:
    if not isinstance(value, list):
        raise _Unfit(f"it is {plain.with_kind(value)}, not a list")
    if number > len(value):
        raise _Unfit(f"the list has {len(value)} items")
    return value[number - 1]


def _read_at(rest: str) -> tuple[Any, ...]:
    try:
        return (jsonpath.read_path(unquote(rest) if rest[:1] in ("'", '"') else rest),)
    except jsonpath.PathError as problem:
        raise Unreadable(f"the path after at, {rest!r}, cannot be read: {problem}") from None


@_pipe("at", "what stands at a path inside the value",
       ({"code": "PIL"}, "at $.code", "PIL"), "at $.PATH", _read_at, each=False)  # fmt: skip
def _at(value: Any, path: jsonpath.Path) -> Any:
    found = [node.value for node in path.nodes(value)]
    if not found:
        raise _Unfit(f"there is nothing at {path.text}")
    return found[0] if len(found) == 1 else found


def _read_default(rest: str) -> tuple[Any, ...]:
    if rest[:1] in ("'", '"'):
        return (unquote(rest),)
    try:
        return (plain.read_json(rest),)
    except plain.NotPlain:
        raise Unreadable(f'default is written: default "text", default 0 or default null; found {rest!r}') from None


@_pipe("default", "another value where there is none, or null",
       (None, 'default "none"', "none"), 'default "X"', _read_default, each=False)  # fmt: skip
def _default(value: Any, other: Any) -> Any:
    return other if value is None else value
