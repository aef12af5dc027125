"""Checks and subjects of a document: exactly one relation each, and an expected value that it can
work with."""

from __future__ import annotations

from typing import Any

from saltpath.core.answers.subjects import Subject, of_document, read_subject
from saltpath.core.cases.expectations import Check, Expectation, Group, Place
from saltpath.core.checks import loose, relations
from saltpath.core.checks.judge import quickly
from saltpath.core.checks.relations.operand import unit_fault
from saltpath.core.checks.sentences import group_sentence, sentence
from saltpath.core.format.nodes import Node, from_data
from saltpath.core.format.reading import Reading, check_asked, found
from saltpath.core.references.templates import holds_reference
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed

CHECK_KEYS = ("of", "any", "advice", "note", "off")
GROUPS = {
    "when": ("when", "then", "otherwise"),
    "any of": ("any of",),
    "all of": ("all of",),
    "none of": ("none of",),
    "for each": ("for each", "expect", "may be empty"),
}
ASIDE = ("advice", "note", "off")
MOST_LEVELS = 12
_MISSING = "a check is missing here, such as { of: status, is: 200 }"


def read_subject_of(reading: Reading, node: Node, path: str) -> Subject | None:
    text = reading.text(node, path, "a subject")
    if not text:
        return None
    if text != text.strip():
        reading.wrong(f"a subject has no blanks around it; found {text!r}", path, node.line)
        return None
    try:
        return read_subject(text)
    except Unreadable as problem:
        reading.wrong(str(problem), path, node.line)
        return None


def read_expectations(
    reading: Reading, node: Node | None, path: str, what: str
) -> tuple[Expectation, ...]:
    """A list of checks and groups."""
    items = (
        _expectation(reading, child, f"{path}[{index}]", 0)
        for index, child in enumerate(reading.items(node, path, what))
    )
    return tuple(item for item in items if item is not None)


def expectations_of(documents: list[Any]) -> tuple[Expectation, ...]:
    """Checks of plain documents. Raises Unreadable with what is wrong with the first."""
    reading = Reading()
    items = read_expectations(reading, from_data(documents), "checks", "checks")
    if reading.problems:
        raise Unreadable(reading.problems[0].sentence)
    return items


def _some(reading: Reading, node: Node | None, path: str, level: int) -> tuple[Expectation, ...]:
    """CHECKS of the format: one check or a list."""
    if node is None:
        return ()
    if isinstance(node.value, dict):
        item = _expectation(reading, node, path, level)
        return () if item is None else (item,)
    items = reading.items(node, path, "checks")
    if not items:
        reading.wrong(_MISSING, path, node.line)
    read = (
        _expectation(reading, child, f"{path}[{index}]", level) for index, child in enumerate(items)
    )
    return tuple(item for item in read if item is not None)


def _expectation(reading: Reading, node: Node, path: str, level: int) -> Expectation | None:
    kind = next(
        (name for name in GROUPS if isinstance(node.value, dict) and name in node.value), None
    )
    if kind is None:
        return read_check(reading, node, path)
    if level >= MOST_LEVELS:
        reading.wrong(f"groups stand in each other at most {MOST_LEVELS} deep", path, node.line)
        return None
    keys = reading.mapping(node, path, (*GROUPS[kind], *ASIDE), (), f"a group {kind!r}")

    def some(name: str) -> tuple[Expectation, ...]:
        return _some(reading, keys.get(name), f"{path}.{name}", level + 1)

    of = (
        read_subject_of(reading, keys["for each"], f"{path}.for each")
        if kind == "for each" and "for each" in keys
        else None
    )
    when = some("when") if kind == "when" else ()
    inside = {"when": "then", "for each": "expect"}.get(kind, kind)
    if inside not in keys:
        reading.wrong(f"a group {kind!r} needs {inside}: what must hold", path, node.line)
    parts, otherwise = some(inside), some("otherwise")
    words = group_sentence(
        kind,
        of.text if of else "",
        [item.sentence for item in when],
        [item.sentence for item in parts],
        [item.sentence for item in otherwise],
    )
    return Group(
        kind=kind,  # type: ignore[arg-type]
        parts=parts,
        when=when,
        otherwise=otherwise,
        of=of,
        may_be_empty=reading.flag(keys.get("may be empty"), f"{path}.may be empty", "may be empty"),
        advice=reading.flag(keys.get("advice"), f"{path}.advice", "advice"),
        off=reading.flag(keys.get("off"), f"{path}.off", "off"),
        note=reading.text(keys.get("note"), f"{path}.note", "note"),
        sentence=words,
        place=Place(path, node.line),
    )


def read_check(reading: Reading, node: Node, path: str) -> Check | None:
    """`{ of: SUBJECT, RELATION: EXPECTED }` with exactly one relation."""
    keys = reading.mapping(node, path, (*CHECK_KEYS, *relations.TABLE), (), "a check")
    if not keys:
        if node.value == {}:
            reading.wrong(_MISSING, path, node.line)
        return None
    named = [key for key in keys if key in relations.TABLE]
    if "of" not in keys:
        reading.wrong("a check needs of: what it looks at, such as status or $.id", path, node.line)
        return None
    if len(named) != 1:
        if not any(problem.path == path for problem in reading.problems or []):
            has = f"found {listed(named)}" if named else "found none"
            reading.wrong(
                f"a check needs exactly one relation, such as is or contains; {has}",
                path,
                node.line,
            )
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
    expected, fixed = _compiled(
        reading, relations.TABLE[named[0]], expected_node, f"{path}.{named[0]}"
    )
    check = Check(
        of=of_document(subject) if relations.TABLE[named[0]].of_document else subject,
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


def _compiled(
    reading: Reading, relation: relations.Relation, node: Node, path: str
) -> tuple[Any, bool]:
    """The expected value as it is judged with, and whether it is the value itself."""
    if relation.takes.compiled == "body":
        try:
            pattern = loose.read_pattern(node.data())
            check_asked(loose.references_in_pattern(pattern), ("sent", "answer"))
            return pattern, False
        except (Unreadable, RecursionError) as problem:
            reading.wrong(str(problem) or "the expected body is nested too deeply", path, node.line)
            return None, False
    if relation.takes.compiled == "as it is":
        return node.data(), True
    return reading.tree(node, path, asks=True), not holds_reference(node.data())


def _expected(
    reading: Reading, subject: Subject, relation: relations.Relation, node: Node, path: str
) -> None:
    """Report an expected value that the relation can never work with."""
    value = node.data()
    if isinstance(value, str) and holds_reference(value):
        return
    fault = relation.takes.fault(value, subject)
    if not fault and subject.unit and relation.takes.in_unit:
        fault = unit_fault(value, subject.unit)
    if fault:
        reading.wrong(f"{relation.name} needs {fault}; found {found(node)}", path, node.line)
