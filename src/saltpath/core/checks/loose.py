"""Loose values: an expected body in which `[?...]` stands for anything of a kind. A table, each
with an example.

A pattern is read once from the document (`read_pattern`), its references are filled in when the
check is judged (`filled`), and `misfits` compares. What a reference inserts is never read as a
loose value.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from decimal import Decimal
from itertools import islice
from typing import Any

from msgspec import Struct

from saltpath.core.paths import patterns
from saltpath.core.paths.jsonpath import as_path
from saltpath.core.references.templates import Template, read_template, references_in
from saltpath.core.values import plain, text_formats
from saltpath.core.values.grammar import Unreadable, split_list, unquote
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.values.why import Blocked, Why, why

MOST_IN_ANY_ORDER = 500
_MISSING = object()


class LooseKind(Struct, frozen=True):
    """`example`: (as written, a value that fits). `test(value, *args)`."""

    name: str
    shape: str
    about: str
    example: tuple[str, Any]
    read: Callable[[str], tuple[Any, ...]]
    test: Callable[..., bool]


class Loose(Struct, frozen=True):
    """One loose value as written. `inner`: its arguments hold references and are read when it is
    judged."""

    text: str
    kind: str
    args: tuple[Any, ...] = ()
    inner: Template | None = None


class Fields(Struct, frozen=True):
    """An object: by name, whether the field may be missing, and its pattern."""

    fields: tuple[tuple[str, bool, Any], ...]


class Items(Struct, frozen=True):
    """A list: `exact` (in this order), `every` (each item fits the one pattern), `any order`.
    `more`: others may follow."""

    mode: str
    items: tuple[Any, ...]
    more: bool = False


KINDS: dict[str, LooseKind] = {}


def _loose(
    name: str,
    about: str,
    example: tuple[str, Any],
    shape: str = "",
    read: Callable[[str], tuple[Any, ...]] | None = None,
) -> Callable[[Callable[..., bool]], None]:
    def register(test: Callable[..., bool]) -> None:
        KINDS[name] = LooseKind(
            name, shape or f"[?{name}]", about, example, read or _nothing(name), test
        )

    return register


def _nothing(name: str) -> Callable[[str], tuple[Any, ...]]:
    def read(rest: str) -> tuple[Any, ...]:
        if rest:
            raise Unreadable(f"[?{name}] takes nothing after it, found {rest!r}")
        return ()

    return read


_loose("", "anything, null too; the field must be there", ("[?]", None))(lambda value: True)
_loose("present", "anything but null", ("[?present]", 0))(lambda value: value is not None)
_loose("not empty", "text, a list or an object with something in it", ("[?not empty]", "x"))(
    lambda value: value not in ("", [], {}, None)
)
for _kind in ("text", "number", "integer", "boolean", "list", "object"):
    _sample: Any = {
        "text": "",
        "number": Decimal("1.5"),
        "integer": 3,
        "boolean": False,
        "list": [],
        "object": {},
    }[_kind]

    def _of_kind(value: Any, kind: str = _kind) -> bool:
        found = plain.kind_of(value)
        return found == kind or (found == "integer" and kind == "number")

    _loose(_kind, f"any {_kind}", (f"[?{_kind}]", _sample))(_of_kind)
for _name in ("uuid", "date", "date-time", "email", "uri"):

    def _of_format(value: Any, name: str = _name) -> bool:
        return isinstance(value, str) and text_formats.FORMATS[name].holds(value)

    _loose(_name, f"text that is a {_name}", (f"[?{_name}]", text_formats.FORMATS[_name].example))(
        _of_format
    )


def _read_pattern(rest: str) -> tuple[Any, ...]:
    if len(rest) > 1 and rest[0] == rest[-1] == "/":
        rest = rest[1:-1].replace("\\/", "/")
    elif rest[:1] in ("'", '"'):
        rest = unquote(rest)
    try:
        patterns.compile_pattern(rest)
    except patterns.PatternError as problem:
        raise Unreadable(f"the pattern {rest} cannot be read: {problem}") from None
    if not rest:
        raise Unreadable("[?matches ...] needs a pattern, such as [?matches ^PC-]")
    return (rest,)


@_loose(
    "matches",
    "text in which a pattern is found",
    ("[?matches ^PC-]", "PC-20931"),
    "[?matches REGEX]",
    _read_pattern,
)
def _matches(value: Any, pattern: str) -> bool:
    return isinstance(value, str) and bool(patterns.asked(patterns.Search(pattern, value)))


def _read_number(name: str) -> Callable[[str], tuple[Any, ...]]:
    def read(rest: str) -> tuple[Any, ...]:
        found = plain.number_in(rest)
        if found is None:
            raise Unreadable(f"[?{name} ...] needs a number, such as [?{name} 3]; found {rest!r}")
        return (found,)

    return read


def _comparing(name: str, holds: Callable[[Any, Any], bool], example: tuple[str, Any]) -> None:
    @_loose(name, f"a number {name} another", example, f"[?{name} N]", _read_number(name))
    def _test(value: Any, limit: Any) -> bool:
        return _comparable(value) and _comparable(limit) and holds(value, limit)


def _comparable(value: Any) -> bool:
    if plain.is_number(value) and plain.too_long(value):
        raise Blocked(why("number-too-long"))
    return plain.is_number(value)


_comparing("above", lambda value, limit: bool(value > limit), ("[?above 3]", 4))
_comparing("below", lambda value, limit: bool(value < limit), ("[?below 3]", 2))
_comparing("at least", lambda value, limit: bool(value >= limit), ("[?at least 3]", 3))
_comparing("at most", lambda value, limit: bool(value <= limit), ("[?at most 3]", 3))


def _read_between(rest: str) -> tuple[Any, ...]:
    low, joint, high = rest.partition(" and ")
    ends = (plain.number_in(low), plain.number_in(high))
    if not joint or None in ends:
        raise Unreadable(f"[?between ...] is written [?between 1 and 5]; found {rest!r}")
    return ends


@_loose(
    "between",
    "a number from one to another, both included",
    ("[?between 1 and 5]", 5),
    "[?between A and B]",
    _read_between,
)
def _between(value: Any, low: Any, high: Any) -> bool:
    return _comparable(value) and bool(low <= value <= high)


def _read_of(rest: str) -> tuple[Any, ...]:
    if not rest:
        raise Unreadable("[?one of ...] needs values, such as [?one of north, south]")
    return tuple(_item(text) for text in split_list(rest))


def _item(text: str) -> Any:
    if text[:1] in ("'", '"'):
        return unquote(text)
    try:
        return plain.read_json(text)
    except plain.NotPlain:
        return text


@_loose(
    "one of",
    "one of several values",
    ("[?one of north, south]", "south"),
    "[?one of A, B, ...]",
    _read_of,
)
def _one_of(value: Any, *items: Any) -> bool:
    return any(plain.same(value, item) for item in items)


# ---- reading


def read_pattern(data: Any) -> Any:
    """An expected body as a document writes it, as a pattern. Raises Unreadable."""
    if (
        isinstance(data, str)
        and data.lstrip()[:1] in ("{", "[")
        and not data.lstrip().startswith(("[?", "[="))
    ):
        try:
            data = plain.read_json(data)
        except plain.NotPlain as problem:
            raise Unreadable(f"the expected body is not JSON: {problem}") from None
    return _read(data)


def _read(data: Any) -> Any:
    if isinstance(data, str):
        if data.startswith("[?"):
            return _read_loose(data)
        return read_template(data) if "[=" in data else data
    if isinstance(data, dict):
        return Fields(tuple((*_field(name), _read(value)) for name, value in data.items()))
    if isinstance(data, list):
        return _read_items(data)
    return data


def _field(name: str) -> tuple[str, bool]:
    """`"name?"` may be missing, `"name??"` is a field named `name?`."""
    if name.endswith("??"):
        return name[:-1], False
    return (name[:-1], True) if name.endswith("?") and len(name) > 1 else (name, False)


_LIST_WORDS = ("[?every]", "[?any order]", "[?more]")


def _read_items(data: list[Any]) -> Items:
    first = data[0] if data else None
    more = bool(data) and data[-1] == "[?more]"
    inner = data[1 if first in ("[?every]", "[?any order]") else 0 : len(data) - more]
    if any(isinstance(item, str) and item in _LIST_WORDS for item in inner):
        raise Unreadable("[?every] and [?any order] stand first in a list, [?more] last")
    if first == "[?every]":
        if len(inner) != 1 or more:
            raise Unreadable(
                "[?every] takes exactly one pattern after it, which each item must fit"
            )
        return Items("every", (_read(inner[0]),))
    return Items(
        "any order" if first == "[?any order]" else "exact", tuple(map(_read, inner)), more
    )


def _read_loose(text: str) -> Loose:
    if text in _LIST_WORDS:
        raise Unreadable(
            f"{text} stands in a list only: [?every] and [?any order] first, [?more] last"
        )
    if not text.endswith("]"):
        raise Unreadable(f"a loose value is the whole text, such as [?text]; found {text!r}")
    inside = text[2:-1].strip()
    name = next(
        (
            n
            for n in sorted(KINDS, key=len, reverse=True)
            if n and (inside == n or inside.startswith(n + " "))
        ),
        None,
    )
    if name is None and inside:
        near = nearest(inside, [kind for kind in KINDS if kind])
        raise Unreadable(
            f"there is no loose value {text}; "
            + (
                f"did you mean [?{near}]?"
                if near
                else f"there are {listed([k for k in KINDS if k], 30)}"
            )
        )
    name = name or ""
    rest = inside[len(name) :].strip()
    if "[=" in rest:
        return Loose(text, name, inner=read_template(rest))
    return Loose(text, name, KINDS[name].read(rest))


def references_in_pattern(pattern: Any) -> Iterator[Any]:
    """Every reference of a pattern."""
    if isinstance(pattern, Template):
        yield from pattern.references()
    elif isinstance(pattern, Loose) and pattern.inner is not None:
        yield from pattern.inner.references()
    elif isinstance(pattern, Fields):
        for _, _, inner in pattern.fields:
            yield from references_in_pattern(inner)
    elif isinstance(pattern, Items):
        for inner in pattern.items:
            yield from references_in_pattern(inner)


def references_in_expected(expected: Any) -> Iterator[Any]:
    """Every reference of what a check expects, be it a pattern or a compiled tree."""
    pattern = isinstance(expected, (Fields, Items, Loose))
    return references_in_pattern(expected) if pattern else references_in(expected)


# ---- filling


def filled(pattern: Any, scopes: Any) -> Any:
    """The pattern with every reference resolved. Raises Blocked."""
    if isinstance(pattern, Template):
        return scopes.fill(pattern)
    if isinstance(pattern, Loose) and pattern.inner is not None:
        bare = pattern.kind not in ("one of", "matches")
        try:
            text = scopes.text(pattern.inner) if bare else scopes.as_literals(pattern.inner)
            return Loose(pattern.text, pattern.kind, KINDS[pattern.kind].read(text))
        except Unreadable as problem:
            raise Blocked(why("unreadable", problem=str(problem))) from None
    if isinstance(pattern, Fields):
        return Fields(
            tuple((name, loose, filled(inner, scopes)) for name, loose, inner in pattern.fields)
        )
    if isinstance(pattern, Items):
        return Items(
            pattern.mode, tuple(filled(inner, scopes) for inner in pattern.items), pattern.more
        )
    return pattern


def written(pattern: Any) -> Any:
    """A filled pattern as a plain value, as evidence shows it."""
    if isinstance(pattern, Loose):
        return pattern.text
    if isinstance(pattern, Template):
        return pattern.text
    if isinstance(pattern, Fields):
        return {
            name + ("?" if loose or name.endswith("?") else ""): written(inner)
            for name, loose, inner in pattern.fields
        }
    if isinstance(pattern, Items):
        head = [f"[?{pattern.mode}]"] if pattern.mode != "exact" else []
        return [*head, *map(written, pattern.items), *(["[?more]"] if pattern.more else [])]
    return pattern


# ---- comparing


def misfits(actual: Any, pattern: Any, exactly: bool, most: int) -> Iterator[tuple[str, Why]]:
    """Each place that does not fit, as (`.fee.lines[2]`, why), at most so many. Raises Blocked."""
    for place, reason in islice(_misfits(actual, pattern, exactly, ()), most):
        yield as_path(place)[1:], reason


Place = tuple[str | int, ...]


def _misfits(actual: Any, pattern: Any, exactly: bool, place: Place) -> Iterator[tuple[Place, Why]]:
    if isinstance(pattern, Loose):
        if (actual is None and pattern.kind) or not KINDS[pattern.kind].test(actual, *pattern.args):
            yield place, why("differs", actual=plain.show(actual, 60), expected=_words(pattern))
    elif isinstance(pattern, Fields):
        yield from _object_misfits(actual, pattern, exactly, place)
    elif isinstance(pattern, Items):
        yield from _list_misfits(actual, pattern, exactly, place)
    elif isinstance(pattern, (dict, list)):  # a reference gave it; it is never read as a pattern
        if not plain.same(actual, pattern):
            yield (
                place,
                why("differs", actual=plain.show(actual, 60), expected=plain.show(pattern, 60)),
            )
    elif not _equal(actual, pattern):
        yield place, why("differs", actual=plain.show(actual, 60), expected=plain.show(pattern, 60))


def _equal(actual: Any, expected: Any) -> bool:
    if plain.is_number(actual) and plain.is_number(expected):
        return _comparable(actual) and _comparable(expected) and bool(actual == expected)
    return plain.same(actual, expected)


def _words(pattern: Loose) -> str:
    return pattern.text[2:-1] or "anything"


def _object_misfits(
    actual: Any, pattern: Fields, exactly: bool, place: Place
) -> Iterator[tuple[Place, Why]]:
    if not isinstance(actual, dict):
        yield place, why("differs", actual=plain.show(actual, 60), expected="an object")
        return
    for name, optional, inner in pattern.fields:
        value = actual.get(name, _MISSING)
        if value is not _MISSING:
            yield from _misfits(value, inner, exactly, (*place, name))
        elif not optional:
            near = nearest(name, actual)
            yield (
                (*place, name),
                why("field-missing", name=name, near=f"; did you mean {near}?" if near else ""),
            )
    if exactly:
        known = {name for name, _, _ in pattern.fields}
        for name in actual:
            if name not in known:
                yield (*place, name), why("field-extra", name=name)


def _list_misfits(
    actual: Any, pattern: Items, exactly: bool, place: Place
) -> Iterator[tuple[Place, Why]]:
    if not isinstance(actual, list):
        yield place, why("differs", actual=plain.show(actual, 60), expected="a list")
        return
    if pattern.mode == "every":
        if not actual:
            yield place, why("differs", actual="an empty list", expected="at least one item")
        for index, item in enumerate(actual):
            yield from _misfits(item, pattern.items[0], exactly, (*place, index))
    elif pattern.mode == "any order":
        yield from _in_any_order(actual, pattern, exactly, place)
    else:
        for index, (item, inner) in enumerate(zip(actual, pattern.items, strict=False)):
            yield from _misfits(item, inner, exactly, (*place, index))
        yield from _wrong_length(actual, pattern, place)


def _wrong_length(actual: list[Any], pattern: Items, place: Place) -> Iterator[tuple[Place, Why]]:
    wanted = len(pattern.items)
    if len(actual) < wanted or (len(actual) > wanted and not pattern.more):
        least = "at least " if pattern.more else ""
        yield (
            place,
            why("differs", actual=f"a list of {len(actual)}", expected=f"{least}{wanted} items"),
        )


def _in_any_order(
    actual: list[Any], pattern: Items, exactly: bool, place: Place
) -> Iterator[tuple[Place, Why]]:
    """Items and patterns paired one to one, each item to a pattern that it fits (augmenting
    paths)."""
    if max(len(actual), len(pattern.items)) > MOST_IN_ANY_ORDER:
        raise Blocked(why("too-many-in-any-order", most=MOST_IN_ANY_ORDER))
    fits: dict[tuple[int, int], bool] = {}

    def fitting(wanted: int, index: int) -> bool:
        key = (wanted, index)
        if key not in fits:
            fits[key] = (
                next(_misfits(actual[index], pattern.items[wanted], exactly, ()), None) is None
            )
        return fits[key]

    taken: dict[int, int] = {}

    def pair(wanted: int, tried: set[int]) -> bool:
        for index in range(len(actual)):
            if index not in tried and fitting(wanted, index):
                tried.add(index)
                if index not in taken or pair(taken[index], tried):
                    taken[index] = wanted
                    return True
        return False

    for wanted in range(len(pattern.items)):
        if not pair(wanted, set()):
            yield (
                place,
                why(
                    "no-item-fits",
                    number=wanted + 1,
                    pattern=plain.show(written(pattern.items[wanted]), 60),
                ),
            )
    if not pattern.more:
        for index in range(len(actual)):
            if index not in taken and len(actual) > len(pattern.items):
                yield (*place, index), why("item-extra", actual=plain.show(actual[index], 60))
