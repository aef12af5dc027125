"""Checks and subjects of a document: exactly one relation each, and an expected value that it can work with."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import regex

from saltpath.core import measures, plain
from saltpath.core.case import Check, Place
from saltpath.core.checks import relations
from saltpath.core.checks.judge import quickly
from saltpath.core.checks.sentences import sentence
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.source import Node
from saltpath.core.grammar import Unreadable
from saltpath.core.nearest import listed
from saltpath.core.references import holds_reference
from saltpath.core.subjects import Subject, read_subject

CHECK_KEYS = ("of", "any", "advice", "note", "off")
CHECK_LATER = (
    "when", "any of", "all of", "none of", "for each", "is none of", "does not contain", "does not match", "close to",
    "before", "after", "near", "format", "length", "unique", "sorted", "fits", "fits exactly", "schema",
    "same as last pass",
)  # fmt: skip


def read_subject_of(reading: Reading, node: Node, path: str) -> Subject | None:
    text = reading.text(node, path, "a subject")
    if not text:
        return None
    try:
        return read_subject(text)
    except Unreadable as problem:
        reading.wrong(str(problem), path, node.line)
        return None


def read_check(reading: Reading, node: Node, path: str) -> Check | None:
    """`{ of: SUBJECT, RELATION: EXPECTED }` with exactly one relation."""
    keys = reading.mapping(node, path, (*CHECK_KEYS, *relations.TABLE), CHECK_LATER, "a check")
    if not keys:
        return None
    named = [key for key in keys if key in relations.TABLE]
    if "of" not in keys:
        reading.wrong("a check needs of: what it looks at, such as status or $.id", path, node.line)
        return None
    if len(named) != 1:
        if not any(problem.path == path for problem in reading.problems or []):
            has = f"found {listed(named)}" if named else "found none"
            reading.wrong(f"a check needs exactly one relation, such as is or contains; {has}", path, node.line)
        return None
    subject = read_subject_of(reading, keys["of"], f"{path}.of")
    expected_node = keys[named[0]]
    if subject is None:
        return None
    _expected(reading, subject, relations.TABLE[named[0]], expected_node, f"{path}.{named[0]}")
    any_node = reading.flag(keys.get("any"), f"{path}.any", "any")
    try:
        words = sentence(subject.text, named[0], expected_node.data(), any_node)
    except (TypeError, IndexError, StopIteration, KeyError, AttributeError):
        words = subject.text  # its fault was reported just above
    expected = reading.tree(expected_node, f"{path}.{named[0]}")
    fixed = not holds_reference(expected_node.data())
    check = Check(
        of=subject,
        relation=named[0],
        expected=expected,
        any=any_node,
        advice=reading.flag(keys.get("advice"), f"{path}.advice", "advice"),
        off=reading.flag(keys.get("off"), f"{path}.off", "off"),
        note=reading.text(keys.get("note"), f"{path}.note", "note"),
        sentence=words,
        fixed=fixed,
        place=Place(path, node.line),
    )
    return check if reading.problems else quickly(check)


def _expected(reading: Reading, subject: Subject, relation: relations.Relation, node: Node, path: str) -> None:
    """Report an expected value that the relation can never work with."""
    value = node.data()
    if isinstance(value, str) and holds_reference(value):
        return
    fault = _EXPECTED[relation.takes](value, subject)
    if not fault and subject.unit and relation.takes in ("measure", "pair", "list", "value"):
        fault = _unit_fault(value, subject.unit)
    if fault:
        reading.wrong(f"{relation.name} needs {fault}; found {found(node)}", path, node.line)


def _unit_fault(value: Any, unit: str) -> str:
    read = measures.duration if unit == "duration" else measures.size
    for item in value if isinstance(value, list) else [value]:
        if isinstance(item, str) and holds_reference(item):
            continue
        try:
            read(item)
        except ValueError as problem:
            return str(problem).removeprefix("expected ")
    return ""


def _is_measure(value: Any, subject: Subject) -> bool:
    from_text = subject.kind in ("header", "cookie", "body", "type") and isinstance(value, str)
    return plain.is_number(value) or bool(subject.unit) or (from_text and plain.number_in(value) is not None)


def _measure_fault(value: Any, subject: Subject) -> str:
    return "" if _is_measure(value, subject) or holds_reference(value) else "a number"


def _pair_fault(value: Any, subject: Subject) -> str:
    if not isinstance(value, list) or len(value) != 2:
        return "two numbers: [from, to]"
    return next((fault for item in value if (fault := _measure_fault(item, subject))), "")


def _pattern_fault(value: Any, subject: Subject) -> str:
    if not isinstance(value, str):
        return "a pattern as text"
    try:
        relations.compile_pattern(value)
    except regex.error as problem:
        return f"a pattern that can be read ({problem})"
    return ""


def _count_fault(value: Any, subject: Subject) -> str:
    if isinstance(value, dict):
        if len(value) != 1 or next(iter(value)) not in _COUNTABLE:
            return f"a number, or one relation: {{ at least: 3 }}, of {listed(_COUNTABLE)}"
        relation, inner = next(iter(value.items()))
        if relation == "between":
            return _pair_fault(inner, subject)
        return "" if relation == "is one of" and isinstance(inner, list) else _measure_fault(inner, subject)
    return "" if isinstance(value, int) and not isinstance(value, bool) and value >= 0 else "a whole number"


_COUNTABLE = ("is", "is not", "is one of", "above", "below", "at least", "at most", "between")
_EXPECTED: dict[str, Callable[[Any, Subject], str]] = {
    "value": lambda value, subject: "",
    "list": lambda value, subject: "" if isinstance(value, list) else "a list",
    "measure": _measure_fault,
    "pair": _pair_fault,
    "pattern": _pattern_fault,
    "boolean": lambda value, subject: "" if isinstance(value, bool) else "true or false",
    "true": lambda value, subject: "" if value is True else "true",
    "kind": lambda value, subject: (
        "" if value in relations.VALUE_KINDS else f"one of {listed(relations.VALUE_KINDS, 9)}"
    ),
    "count": _count_fault,
}
