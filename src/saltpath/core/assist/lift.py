"""What stands written out in many places becomes a value: where a literal stands in cases, and the
cases with a reference in its place.

A literal is looked for as a whole: where a request goes, a segment of its path, a value of its
query, headers, form or sign-in, a leaf of its JSON or XML body, an expected value. It is never a
part of a word.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Iterator, Mapping
from typing import Any
from urllib.parse import unquote

from msgspec import Struct

from saltpath.core.assist.naming import value_name
from saltpath.core.assist.observations import telling
from saltpath.core.assist.repeated import literals
from saltpath.core.cases.case import PARTS
from saltpath.core.cases.steps import steps_in
from saltpath.core.references.templates import RESERVED
from saltpath.core.values import plain

Document = dict[str, Any]
ORIGIN = re.compile(r"[A-Za-z][\w+.-]*://[^/?#\s\[]+")
_TOKEN = re.compile(r'"(?:[^"\\]|\\.)*"|-?\d+(?:\.\d+)?(?:[eE][+-]?\d+)?')
_VALUES = frozenset(["text", "set", "with", "where", "json", "auth"])
"""Fields of a step whose leaves are all values."""
_PAIRS = frozenset(["query", "headers", "form"])
_CHECKS = frozenset(
    ["expect", "only if", "until", "when", "then", "otherwise", "any of", "all of", "none of"]
)
_ASIDE = frozenset(
    ["of", "for each", "may be empty", "note", "advice", "off", "any", "kind", "format", "sorted"]
)
"""What of a check is no value."""
LEAST_STEPS = 3


class Place(Struct, frozen=True):
    """Where a literal stands: the document path, the name of its step, and the text there before
    and after."""

    path: str
    step: str
    before: str
    after: str


class Offer(Struct, frozen=True):
    """A literal that stands in several steps, with a name that it could have. `steps`, `cases`: how
    many."""

    value: str
    name: str
    steps: int
    cases: int


def lifted(
    document: Document, value: Any, name: str, left: frozenset[str] = frozenset()
) -> tuple[Document, list[Place]]:
    """The case with `[=name]` wherever the value stands written out, and these places; `left`:
    paths of places that stay as they are. `value`: a text, or a number, which also stands as a
    text: `[=name | text]` there."""
    lifting = _Lifting(value, name, left)
    changed = dict(document)
    for part in PARTS:
        if isinstance(document.get(part), list):
            changed[part] = [
                lifting.step(step, f"{part}[{index}]") for index, step in enumerate(document[part])
            ]
    if isinstance(document.get("auth"), dict):
        changed["auth"] = lifting.sign_in(document["auth"], "auth", "the case's sign-in")
    if isinstance(document.get("every answer"), list):
        changed["every answer"] = lifting.checks(
            document["every answer"], "every answer", "every answer"
        )
    return (changed, lifting.places) if lifting.places else (document, [])


class _Lifting:
    def __init__(self, value: Any, name: str, left: frozenset[str]) -> None:
        self._value, self._left = value, left
        self._text = plain.as_text(value)
        self._reference = f"[={name}]"
        self._as_text = self._reference if isinstance(value, str) else f"[={name} | text]"
        self.places: list[Place] = []

    def step(self, step: Any, path: str) -> Any:
        if not isinstance(step, dict):
            return step
        title = str(next((step[kind] for kind in ("request", "shared") if kind in step), path))
        return {key: self._field(key, held, f"{path}.{key}", title) for key, held in step.items()}

    def _field(self, key: str, held: Any, path: str, step: str) -> Any:
        if key == "send" and isinstance(held, str):
            return self._put(path, step, held, self._address(held))
        if key == "json" and isinstance(held, str):
            return self._put(path, step, held, self._json(held))
        if key == "xml" and isinstance(held, str):
            return self._put(
                path, step, held, held.replace(f">{self._text}<", f">{self._reference}<")
            )
        if key == "steps" and isinstance(held, list):
            return [self.step(inner, f"{path}[{index}]") for index, inner in enumerate(held)]
        if key == "repeat" and isinstance(held, dict):
            return {
                name: self._field(name, inner, f"{path}.{name}", step)
                for name, inner in held.items()
            }
        if key in _CHECKS:
            return self.checks(held, path, step)
        if key in _PAIRS:
            return self._named(held, path, step)
        if key in _VALUES or (key == "for each" and isinstance(held, list)):
            return self.sign_in(held, path, step) if key == "auth" else self.tree(held, path, step)
        if key == "multipart" and isinstance(held, list):
            return [self._part(part, f"{path}[{index}]", step) for index, part in enumerate(held)]
        return held

    def checks(self, held: Any, path: str, step: str) -> Any:
        """Checks and groups of them, with the reference in the place of what is expected."""
        if isinstance(held, list):
            return [
                self.checks(inner, f"{path}[{index}]", step) for index, inner in enumerate(held)
            ]
        if not isinstance(held, dict):
            return held
        return {
            key: self._of_check(key, inner, f"{path}.{key}", step) for key, inner in held.items()
        }

    def _of_check(self, key: str, held: Any, path: str, step: str) -> Any:
        if key in _CHECKS:
            return self.checks(held, path, step)
        return held if key in _ASIDE else self.tree(held, path, step)

    def _named(self, held: Any, path: str, step: str) -> Any:
        """Values by name, as a mapping or as pairs of which each begins with its name."""
        if not isinstance(held, list):
            return self.tree(held, path, step)
        return [
            [pair[0], *(self.tree(value, f"{path}[{index}][1]", step) for value in pair[1:])]
            if isinstance(pair, list) and pair
            else pair
            for index, pair in enumerate(held)
        ]

    def sign_in(self, held: Any, path: str, step: str) -> Any:
        if isinstance(held, dict) and isinstance(held.get("key"), dict):
            key = {
                name: self.tree(v, f"{path}.key.{name}", step) if name == "value" else v
                for name, v in held["key"].items()
            }
            return {**held, "key": key}
        return self.tree(held, path, step)

    def _part(self, held: Any, path: str, step: str) -> Any:
        if not isinstance(held, dict):
            return held
        return {
            name: self.tree(v, f"{path}.{name}", step) if name == "text" else v
            for name, v in held.items()
        }

    def tree(self, held: Any, path: str, step: str) -> Any:
        """A tree with the reference in the place of each leaf that is the value, or an address that
        begins with it."""
        if isinstance(held, dict):
            return {key: self.tree(inner, f"{path}.{key}", step) for key, inner in held.items()}
        if isinstance(held, list):
            return [self.tree(inner, f"{path}[{index}]", step) for index, inner in enumerate(held)]
        if isinstance(held, str) and ORIGIN.fullmatch(self._text) and _goes_to(held, self._text):
            return self._put(path, step, held, self._reference + held[len(self._text) :])
        if isinstance(held, str):
            return self._put(path, step, held, self._as_text) if held == self._text else held
        same = plain.is_number(held) and plain.same(held, self._value)
        return self._put(path, step, held, self._reference) if same else held

    def _put(self, path: str, step: str, before: Any, after: str) -> Any:
        if before == after:
            return before
        self.places.append(Place(path, step, plain.as_text(before), after))
        return before if path in self._left else after

    def _address(self, send: str) -> str:
        method, space, address = send.partition(" ")
        origin = ORIGIN.match(address)
        if origin is not None and _goes_to(address, self._text):
            return method + space + self._reference + address[len(self._text) :]
        begin = origin.end() if origin else 0
        path, mark, query = address[begin:].partition("?")
        segments = [
            self._reference if unquote(part) == self._text else part for part in path.split("/")
        ]
        pairs = [self._pair(pair) for pair in query.split("&")]
        return method + space + address[:begin] + "/".join(segments) + mark + "&".join(pairs)

    def _pair(self, pair: str) -> str:
        name, equals, value = pair.partition("=")
        return name + equals + self._reference if equals and unquote(value) == self._text else pair

    def _json(self, text: str) -> str:
        """A JSON text with the value's tokens replaced, all else byte for byte as it was."""

        def token(found: re.Match[str]) -> str:
            written = found[0]
            if text[found.end() :].lstrip()[:1] == ":":
                return written
            try:
                value = plain.read_json(written)
            except plain.NotPlain:
                return written
            if isinstance(value, str):
                return f'"{self._as_text}"' if value == self._text else written
            return f'"{self._reference}"' if plain.same(value, self._value) else written

        return _TOKEN.sub(token, text)


def _goes_to(address: str, origin: str) -> bool:
    return address == origin or address.startswith((f"{origin}/", f"{origin}?", f"{origin}#"))


# ---- what could be lifted


def offers(documents: Iterable[Mapping[str, Any]], taken: Iterable[str]) -> list[Offer]:
    """What stands written out in several steps: where requests go, in two or more; texts and
    numbers that tell something, in three or more. The most frequent first. `taken`: names that
    values have already."""
    found: dict[str, set[tuple[int, int]]] = defaultdict(set)
    for number, document in enumerate(documents):
        for index, step in enumerate(steps_in(document)):
            for literal in _written_out(step):
                found[literal].add((number, index))
    names = {*taken, *RESERVED}
    made: list[Offer] = []
    for value, places in sorted(found.items(), key=lambda item: (-len(item[1]), item[0])):
        if len(places) >= (2 if ORIGIN.fullmatch(value) else LEAST_STEPS):
            name = value_name(value, names)
            names.add(name)
            made.append(Offer(value, name, len(places), len({number for number, _ in places})))
    return made


def _written_out(step: Mapping[str, Any]) -> Iterator[str]:
    _, _, address = str(step.get("send", "")).partition(" ")
    origin = ORIGIN.match(address.strip())
    if origin is not None:
        yield origin[0]
    nouns = {
        part
        for part in address.partition("?")[0].split("/")
        if not any(letter.isdigit() for letter in part)
    }
    yield from (literal for literal in literals(step) if telling(literal) and literal not in nouns)
