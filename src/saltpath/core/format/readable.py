"""Stored documents as far as they can be read. Nothing is stored that the reader refuses; what an
older fault has stored, or an older reader took, is left out piece by piece, each with the sentence
that says what is wrong, so that all else works.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from datetime import tzinfo
from typing import Any, TypeVar

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.case import Case, Environment, Project, Suite
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.project import read_environment, read_project, read_suite
from saltpath.core.format.reader import case_from_data
from saltpath.core.values.moments import zone_of

T = TypeVar("T")
_ENTRIES = ("sources", "databases", "values", "values in")
"""Keys whose entries are left out one by one."""


class Broken(Struct, frozen=True):
    """What was left out of a document: its place, `sources.arrivals` or a key, and what is wrong
    with it."""

    place: str
    sentence: str


_SHAPES: dict[str, Any] = {
    "about": str,
    "zone": str,
    "environment": str,
    "values": dict,
    "values in": dict,
    "options": dict,
    "every answer": list,
    "sources": dict,
    "databases": dict,
    "order": list,
    "guarded": bool,
    "auth": dict | str,
}


def shaped(document: Any, kind: str, name: str) -> dict[str, Any]:
    """A stored document of a project, suite or environment whose keys hold what they should hold,
    whatever stands inside: what has another shape is left out. The same object where all is
    well."""
    if not isinstance(document, dict):
        return {"salt-path": 1, kind: name}
    rest = {
        key: held
        for key, held in document.items()
        if isinstance(held, _SHAPES.get(key, object)) or key == kind
    }
    inside = rest.get("values in")
    if inside is not None and not all(isinstance(values, dict) for values in inside.values()):
        rest["values in"] = {
            where: values for where, values in inside.items() if isinstance(values, dict)
        }
    if not isinstance(rest.get(kind), str):
        rest[kind] = name
    return document if rest == document else rest


def stub_of_case(document: Any, name: str, key: str) -> dict[str, Any]:
    """What stands for a stored case, or shared steps, that cannot be read: one of the same name
    without steps."""
    kind = "shared" if isinstance(document, dict) and "shared" in document else "case"
    return {"salt-path": 1, kind: name, "key": key, "steps": []}


def readable_project(document: dict[str, Any]) -> tuple[Project, list[Broken]]:
    return _readable(read_project, document, "project")


def project_zone(document: dict[str, Any]) -> tzinfo:
    """The zone of a project's clocks."""
    return zone_of(readable_project(document)[0].zone)


def readable_suite(document: dict[str, Any]) -> tuple[Suite, list[Broken]]:
    return _readable(read_suite, document, "suite")


def readable_standing(documents: Iterable[dict[str, Any]]) -> Suite | None:
    """A suite within the folders that it stands in, the outermost first; what of them cannot be
    read is left out. None where there are none."""
    found: Suite | None = None
    for document in documents:
        found = replace(readable_suite(document)[0], within=found)
    return found


def readable_environment(document: dict[str, Any]) -> tuple[Environment, list[Broken]]:
    return _readable(read_environment, document, "environment")


def readable_case(document: Any, name: str, key: str) -> tuple[Case, list[Broken]]:
    """A case is read whole or not at all: a part of its steps would be another case. What cannot be
    read has none."""
    if not isinstance(document, dict):
        return Case(name=name, key=key), [Broken("", "it is no mapping of keys")]
    try:
        return case_from_data(document), []
    except FormatError as problem:
        return Case(name=name, key=key), [
            Broken(one.path, one.sentence) for one in problem.problems
        ]


def _readable(
    read: Callable[[Any], T], document: dict[str, Any], kind: str
) -> tuple[T, list[Broken]]:
    """All of it, or else all the keys, and entries of keys, that can be read by themselves."""
    try:
        return read(document), []
    except FormatError:
        pass
    rest: dict[str, Any] = {"salt-path": 1, kind: str(document.get(kind, ""))}
    broken: list[Broken] = []
    for key, held in document.items():
        if key in rest:
            continue
        parts = held.items() if key in _ENTRIES and isinstance(held, dict) else [("", held)]
        for name, part in parts:
            try:
                read({**rest, key: {name: part} if name else part})
            except FormatError as problem:
                broken.append(
                    Broken(f"{key}.{name}" if name else key, problem.problems[0].sentence)
                )
            else:
                rest[key] = {**rest.get(key, {}), name: part} if name else part
    return read(rest), broken
