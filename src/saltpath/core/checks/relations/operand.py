"""What a relation compares with: how it is written in a document, in a sentence and when it is
typed, and what is wrong with one that the relation could never work with.

The operands of one relation alone stand beside it; here are those that several share, and what all
of them are made of.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator
from typing import Any, Literal

from msgspec import Struct

from saltpath.core.answers.subjects import Subject
from saltpath.core.references.templates import holds_reference
from saltpath.core.values import measures, plain
from saltpath.core.values.grammar import Unreadable, outside_quotes
from saltpath.core.values.nearest import listed

FIRST_WORDS: set[str] = {"not", "any", "true", "false", "null"}
"""Words that something else than a bare text would be read of, in small letters; those of every
relation's phrases are among them (see `table.relation`)."""
_JOINTS = (" and ", " then ", " otherwise ", " within ")
_BARE = re.compile(r"(?:[^\W_][\w./:@%+*#&?~-]*|\[=[^\"'\[\]|]*\])(?: [\w./:@%+*#&?~-]+)*")


# ---- words


def word(value: Any) -> str:
    """A value in a sentence that is only shown: text bare where it cannot be taken for a number."""
    if not isinstance(value, str):
        return plain.show(value)
    bare = value and value == value.strip() and "\n" not in value and plain.number_in(value) is None
    return value if bare else plain.show(value)


def literal(value: Any) -> str:
    """A value in a sentence that is read again: text bare where nothing else could be read from it,
    all else as JSON."""
    bare = (
        isinstance(value, str)
        and _BARE.fullmatch(value)
        and not any(joint in value for joint in _JOINTS)
    )
    if bare and plain.number_in(value) is None and value.split()[0].lower() not in FIRST_WORDS:
        return str(value)
    return plain.write_json(value).decode()


def value_of(text: str) -> Any:
    """JSON where it is JSON, else text; quotation marks of any kind make it text."""
    if len(text) > 1 and text[0] + text[-1] in ("“”", "''", "‘’"):
        return text[1:-1]
    if text.startswith("[="):
        return text
    try:
        return plain.read_json(text)
    except plain.NotPlain:
        return text


def split(text: str, joint: str) -> Iterator[str]:
    """The parts of a typed text between joints, those in quotes and brackets left alone."""
    begin, depth, quote, at = 0, 0, "", 0
    while at < len(text):
        char = text[at]
        if quote:
            at += char == "\\"
            quote = "" if char == quote else quote
        elif char in '"“':
            quote = "”" if char == "“" else char
        elif char in "[{":
            depth += 1
        elif char in "]}":
            depth -= 1
        elif depth == 0 and text.startswith(joint, at):
            yield text[begin:at].strip()
            begin = at + len(joint)
            at = begin - 1
        at += 1
    yield text[begin:].strip()


def divided(text: str, joint: str) -> tuple[str, str, str]:
    """A typed text around the first joint that stands outside quotes and brackets; without one as
    it is, and twice nothing."""
    for at in outside_quotes(text):
        if text[at : at + len(joint)].lower() == joint:
            return text[:at], joint, text[at + len(joint) :]
    return text, "", ""


# ---- operands


def _no_fault(value: Any, subject: Subject) -> str:
    return ""


def _read(text: str, phrase: str) -> Any:
    return value_of(text)


class Operand(Struct, frozen=True, eq=False):
    """One kind of expected value."""

    schema: dict[str, Any]
    """What a document may have there, as JSON Schema."""
    fault: Callable[[Any, Subject], str] = _no_fault
    """What is needed instead of a value that the relation can never work with; empty if it can."""
    say: Callable[[Any], str] = word
    """In a sentence that is shown."""
    write: Callable[[Any], str] = literal
    """In a sentence that can be typed; `read` reads it back as the same."""
    read: Callable[[str, str], Any] = _read
    """From what was typed behind the relation's phrase (the second argument). Raises Unreadable."""
    in_unit: bool = False
    """Whether it is a duration or a size where the subject is one."""
    said: bool = True
    """Whether it is said at all: of a relation that is there or not, the phrase says everything."""
    compiled: Literal["tree", "as it is", "body"] = "tree"
    """What it becomes when a document is read: a tree in which references are filled in, the value
    itself, or an expected body with loose values."""


VALUE = Operand({}, in_unit=True)
"""Anything."""
BODY = Operand({}, compiled="body")
"""An expected body with loose values."""
TRUE = Operand({"const": True}, lambda value, subject: "" if value is True else "true", said=False)
"""The relation holds or not: nothing is compared with."""
FLAG = Operand(
    {"type": ["boolean", "string"]},
    lambda value, subject: "" if isinstance(value, bool) else "true or false",
    said=False,
)
"""Whether the relation holds, or its opposite does."""


def measure_fault(value: Any, subject: Subject) -> str:
    from_text = subject.kind in ("header", "cookie", "body", "type") and isinstance(value, str)
    fits = (
        plain.is_number(value)
        or bool(subject.unit)
        or (from_text and plain.number_in(value) is not None)
    )
    return "" if fits or holds_reference(value) else "a number"


def unit_fault(value: Any, unit: str) -> str:
    """What is wrong with durations or sizes: one, a list of them, or several by name."""
    read = measures.duration if unit == "duration" else measures.size
    several = (
        value if isinstance(value, list) else value.values() if isinstance(value, dict) else [value]
    )
    for item in several:
        if isinstance(item, str) and holds_reference(item):
            continue
        try:
            read(item)
        except ValueError as problem:
            return str(problem).removeprefix("expected ")
    return ""


def one_of(names: tuple[str, ...], said: str) -> Operand:
    """One of few words, written as they are. `said` is told where another one is typed."""

    def fault(value: Any, subject: Subject) -> str:
        return "" if value in names else f"one of {listed(names, 20)}"

    def write(value: Any) -> str:
        return value if isinstance(value, str) else literal(value)

    def read(text: str, phrase: str) -> Any:
        if text not in names and "[=" not in text:
            raise Unreadable(f"{said}; found {text!r}")
        return text

    return Operand({"enum": list(names)}, fault, write=write, read=read)


def pair_of(
    names: tuple[str, str],
    example: str,
    schema: dict[str, Any],
    fault: Callable[[Any, Subject], str],
    in_unit: bool = False,
) -> Operand:
    """A value and how far from it, by their names: `0.333 within 0.01`."""

    def say(expected: Any) -> str:
        return f"{word(expected[names[0]])} within {word(expected[names[1]])}"

    def write(expected: Any) -> str:
        if not isinstance(expected, dict):
            return literal(expected)
        return f"{literal(expected[names[0]])} within {literal(expected[names[1]])}"

    def read(text: str, phrase: str) -> Any:
        value, joint, within = divided(text, " within ")
        whole = value_of(text)
        if not joint and isinstance(whole, str) and "[=" in whole:
            return whole
        if not joint:
            raise Unreadable(f"Say how near, such as: {phrase} {example}")
        return dict(zip(names, (value_of(value.strip()), value_of(within.strip())), strict=True))

    return Operand(schema, fault, say, write, read, in_unit)
