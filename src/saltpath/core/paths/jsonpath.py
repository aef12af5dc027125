"""JSONPath (RFC 9535). Common shapes are compiled to plain loops here; the whole rest goes to the
library.

`read_path` gives a `Path`; `Path.nodes(document)` gives the nodes with their locations. Names,
indexes, wildcards, `..name` and filters with one comparison run here; slices, functions, unions and
longer filters in jsonpath-rfc9535, whose `match` and `search` are replaced by ones with a time
limit. See docs/development/decisions/core.md for why there are two.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from functools import lru_cache
from typing import Any, NamedTuple

from msgspec import Struct
from msgspec.structs import force_setattr

from saltpath.core.paths import offloading
from saltpath.core.paths.time_limit import TimeUp, time_limit
from saltpath.core.values import plain
from saltpath.core.values.errors import SaltPathError
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.values.why import Why, why

LIMIT_S = offloading.LIMIT_S
MISSING: Any = type("Missing", (), {"__repr__": lambda self: "nothing"})()
Location = tuple[str | int, ...]


class PathError(SaltPathError, ValueError):
    """The text is not a JSONPath; says what is wrong and where."""

    code = "no-path"


class PathTimeout(SaltPathError):
    """The path was still being evaluated when its time was up."""

    code = "too-slow"


class Node(NamedTuple):
    """One place in a document: its location as names and indexes, and the value there."""

    location: Location
    value: Any


Step = Callable[[list[Node]], list[Node]]


def _nothing(document: Any) -> Any:
    """The value at a path that is not made yet."""
    return MISSING


class Path(Struct, frozen=True, eq=False):
    """A compiled path. `singular` (names and indexes only) yields at most one node. Two are equal
    if they are written alike."""

    text: str
    singular: bool
    keys: tuple[str | int, ...]
    steps: tuple[Step, ...] = ()
    library: Any = None
    get: Callable[[Any], Any] = _nothing
    """The value at a singular path in a document, or MISSING; made of the keys."""

    def __post_init__(self) -> None:
        force_setattr(self, "get", _getter(self.keys))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Path) and (self.text, self.keys) == (other.text, other.keys)

    def __hash__(self) -> int:
        return hash((self.text, self.keys))

    def nodes(self, document: Any) -> list[Node]:
        """Every node, in document order. Raises PathTimeout."""
        if self.singular:
            value = self.get(document)
            return [] if value is MISSING else [Node(self._location(document), value)]
        waits = not offloading.is_deferred()
        try:
            with time_limit(LIMIT_S if waits else offloading.GLANCE_S):
                if self.library is not None:
                    return [Node(node.location, node.value) for node in self.library.find(document)]
                found = [Node((), document)]
                for step in self.steps:
                    found = step(found)
                return found
        except TimeUp:
            if waits:
                raise PathTimeout(self.text) from None
        try:
            found = offloading.ask(PathAsked(self.text, plain.write_json(document)))
        except offloading.TooSlow:
            raise PathTimeout(self.text) from None
        return [Node(tuple(location), value) for location, value in found]

    def _location(self, document: Any) -> Location:
        if all(type(key) is str or key >= 0 for key in self.keys):  # type: ignore[operator]
            return self.keys
        place: list[str | int] = []
        value = document
        for key in self.keys:
            if type(key) is int and key < 0:
                key += len(value)
            place.append(key)
            value = value[key]
        return tuple(place)


class PathAsked(Struct, frozen=True):
    """The nodes of a path in a document, as JSON: [(location, value)]."""

    path: str
    document: bytes

    def answer(self) -> list[Node]:
        try:
            return read_path(self.path).nodes(plain.read_json(self.document))
        except PathTimeout:
            raise offloading.TooSlow from None


def _getter(keys: tuple[str | int, ...]) -> Callable[[Any], Any]:
    """A function from a document to the value under these keys, or MISSING. Of the values that JSON
    has, only an object takes a name; text would take an index too, so those are looked at more
    closely."""
    if len(keys) in (1, 2) and all(type(key) is str for key in keys):
        name, inner = (*keys, None)[:2]

        def get_named(document: Any) -> Any:
            try:
                return document[name]
            except (KeyError, TypeError):
                return MISSING

        def get_inner(document: Any) -> Any:
            try:
                return document[name][inner]
            except (KeyError, TypeError):
                return MISSING

        return get_named if inner is None else get_inner

    def get(document: Any) -> Any:
        value = document
        try:
            for key in keys:
                if type(key) is int and type(value) is not list:
                    return MISSING
                value = value[key]
        except (KeyError, TypeError, IndexError):
            return MISSING
        return value

    return get


# RFC 9535's member-name-shorthand
_SHORT = re.compile(r"[^\x00-@\[-^`{-\x7f][^\x00-/:-@\[-^`{-\x7f]*")
_QUOTED = re.compile(
    r"'((?:[^'\\\x00-\x1f]|\\['\\/bfnrt])*)'|\"((?:[^\"\\\x00-\x1f]|\\[\"\\/bfnrt])*)\""
)
_INDEX = re.compile(r"0|-?[1-9]\d{0,14}")
_FILTER = re.compile(
    r"""\?\s*@(?P<keys>(?:\.[A-Za-z_]\w*|\['[^'\\\]]+'\]|\["[^"\\\]]+"\])*)"""
    r"""(?:\s*(?P<op>==|!=|<=|>=|<|>)\s*"""
    r"""(?P<literal>-?(?:0|[1-9]\d*)(?:\.\d+)?(?:[eE][+-]?\d+)?|true|false|null"""
    r"""|'[^'\\]*'|"[^"\\]*"))?\s*\]"""
)
_KEYS = re.compile(r"\.([A-Za-z_]\w*)|\['([^']+)'\]|\[\"([^\"]+)\"\]")


@lru_cache(maxsize=4096)
def read_path(text: str) -> Path:
    """Compile a path. Raises PathError."""
    if not text.startswith("$"):
        raise PathError("a path begins with $")
    compiled = _compile(text)
    return compiled if compiled is not None else _by_library(text)


def _compile(text: str) -> Path | None:
    """The path as our own steps, or None if it has a shape that only the library knows."""
    keys: list[str | int] = []
    steps: list[Step] = []
    singular = True
    at = 1
    while at < len(text):
        if text.startswith("..", at):
            found = _SHORT.match(text, at + 2)
            if not found:
                return None
            steps.append(_descend(found[0]))
            singular, at = False, found.end()
        elif text[at] == "." and text[at + 1 : at + 2] == "*":
            steps.append(_each)
            singular, at = False, at + 2
        elif text[at] == "." and (found := _SHORT.match(text, at + 1)):
            keys.append(found[0])
            steps.append(_child(found[0]))
            at = found.end()
        elif text[at] == "[":
            if text.startswith("[*]", at):
                steps.append(_each)
                singular, at = False, at + 3
            elif (found := _QUOTED.match(text, at + 1)) and text[
                found.end() : found.end() + 1
            ] == "]":
                name = _unescape(found[1] if found[1] is not None else found[2])
                keys.append(name)
                steps.append(_child(name))
                at = found.end() + 1
            elif (found := _INDEX.match(text, at + 1)) and text[
                found.end() : found.end() + 1
            ] == "]":
                keys.append(int(found[0]))
                steps.append(_index(int(found[0])))
                at = found.end() + 1
            elif found := _FILTER.match(text, at + 1):
                steps.append(_filter(found))
                singular, at = False, found.end()
            else:
                return None
        else:
            return None
    return Path(text, singular, tuple(keys) if singular else (), tuple(steps))


def _unescape(text: str) -> str:
    return re.sub(
        r"\\(.)",
        lambda m: {"b": "\b", "f": "\f", "n": "\n", "r": "\r", "t": "\t"}.get(m[1], m[1]),
        text,
    )


def _child(name: str) -> Step:
    def step(nodes: list[Node]) -> list[Node]:
        return [
            Node((*place, name), value[name])
            for place, value in nodes
            if type(value) is dict and name in value
        ]

    return step


def _index(index: int) -> Step:
    def step(nodes: list[Node]) -> list[Node]:
        return [
            Node((*place, index if index >= 0 else index + len(value)), value[index])
            for place, value in nodes
            if type(value) is list and -len(value) <= index < len(value)
        ]

    return step


def _children(place: Location, value: Any) -> Iterator[Node]:
    if type(value) is dict:
        for key, item in value.items():
            yield Node((*place, key), item)
    elif type(value) is list:
        for index, item in enumerate(value):
            yield Node((*place, index), item)


def _each(nodes: list[Node]) -> list[Node]:
    return [child for place, value in nodes for child in _children(place, value)]


def _descend(name: str) -> Step:
    def step(nodes: list[Node]) -> list[Node]:
        found: list[Node] = []
        for start in nodes:
            waiting = [start]
            while waiting:
                place, value = waiting.pop()
                if type(value) is dict and name in value:
                    found.append(Node((*place, name), value[name]))
                waiting.extend(
                    reversed([c for c in _children(place, value) if type(c.value) in (dict, list)])
                )
        return found

    return step


def _filter(found: re.Match[str]) -> Step:
    keys = tuple(next(filter(None, key)) for key in _KEYS.findall(found["keys"]))
    inner = Path("@", True, keys)
    if found["op"] is None:
        return lambda nodes: [
            child for child in _each(nodes) if inner.get(child.value) is not MISSING
        ]
    literal = found["literal"]
    wanted = literal[1:-1] if literal[0] in "'\"" else plain.read_json(literal)
    holds = _COMPARISONS[found["op"]]
    return lambda nodes: [child for child in _each(nodes) if holds(inner.get(child.value), wanted)]


def _equal(left: Any, right: Any) -> bool:
    return left is right or (left is not MISSING and plain.same(left, right))


def _less(left: Any, right: Any) -> bool:
    if plain.is_number(left) and plain.is_number(right):
        return bool(left < right)
    return isinstance(left, str) and isinstance(right, str) and left < right


_COMPARISONS: dict[str, Callable[[Any, Any], bool]] = {
    "==": _equal,
    "!=": lambda left, right: not _equal(left, right),
    "<": _less,
    ">": lambda left, right: _less(right, left),
    "<=": lambda left, right: _less(left, right) or _equal(left, right),
    ">=": lambda left, right: _less(right, left) or _equal(left, right),
}


def _by_library(text: str) -> Path:
    from saltpath.core.paths import jsonpath_library

    try:
        return Path(text, False, (), library=jsonpath_library.compile_path(text))
    except jsonpath_library.Refused as problem:
        raise PathError(str(problem)) from None


def as_path(location: Location) -> str:
    """A location as a path: `$.fee.lines[2]['net price']`."""
    return "$" + "".join(
        f"[{key}]"
        if isinstance(key, int)
        else f".{key}"
        if _SHORT.fullmatch(key)
        else f"[{_in_quotes(key)}]"
        for key in location
    )


_CONTROL = re.compile(r"[\x00-\x1f]")


def _in_quotes(name: str) -> str:
    escaped = name.replace("\\", "\\\\").replace("'", "\\'")
    for char, code in (("\n", "n"), ("\t", "t"), ("\r", "r"), ("\b", "b"), ("\f", "f")):
        escaped = escaped.replace(char, "\\" + code)
    return "'" + _CONTROL.sub(lambda found: f"\\u{ord(found[0]):04x}", escaped) + "'"


def as_literal(value: Any) -> str:
    """A value as a literal inside a path: text quoted, numbers and booleans as they are."""
    return (
        _in_quotes(value)
        if isinstance(value, str)
        else plain.as_text(value)
        if value is not None
        else "null"
    )


def nothing_there(path: Path, document: Any) -> Why:
    """Why a path found nothing: what is there instead, and the nearest name (did you mean)."""
    keys = path.keys if path.singular else _leading_keys(path.text)
    place: list[str | int] = []
    value = document
    for key in keys:
        inner = Path("", True, (key,)).get(value)
        if inner is not MISSING:
            place.append(key)
            value = inner
            continue
        rest = keys[len(place) + 1 :] if path.singular else ()
        here = as_path(tuple(place))
        if isinstance(value, dict) and isinstance(key, str):
            near = nearest(key, value)
            if near is not None:
                full = Path("", True, (near, *rest)).get(value)
                guess = as_path((*place, near, *(rest if full is not MISSING else ())))
                return why(
                    "nothing-there", path=path.text, hint=f"did you mean {guess}?", near=guess
                )
            elsewhere = _elsewhere(document, key)
            if elsewhere:
                return why(
                    "nothing-there",
                    path=path.text,
                    hint=f"did you mean {elsewhere}?",
                    near=elsewhere,
                )
            return why(
                "nothing-there", path=path.text, hint=f"{here} has {listed(map(str, value))}"
            )
        if isinstance(value, list):
            hint = f"{here} is a list of {len(value)}" if value else f"{here} is an empty list"
            return why("nothing-there", path=path.text, hint=hint)
        return why("nothing-there", path=path.text, hint=f"{here} is {plain.show(value, 60)}")
    return why("nothing-there-bare", path=path.text)


def _leading_keys(text: str) -> tuple[str | int, ...]:
    """The names and indexes that a path begins with, as far as they are plain."""
    keys: list[str | int] = []
    at = 1
    while found := re.compile(r"\.(?!\.)([^\W\d]\w*)|\[(\d+)\]|\['([^'\\]+)'\]").match(text, at):
        keys.append(int(found[2]) if found[2] else found[1] or found[3])
        at = found.end()
    return tuple(keys)


def _elsewhere(document: Any, name: str) -> str | None:
    """The first place within a few thousand nodes where this very name stands."""
    waiting = [Node((), document)]
    for _ in range(5000):
        if not waiting:
            return None
        place, value = waiting.pop(0)
        if isinstance(value, dict) and name in value:
            return as_path((*place, name))
        waiting.extend(
            child for child in _children(place, value) if isinstance(child.value, (dict, list))
        )
    return None
