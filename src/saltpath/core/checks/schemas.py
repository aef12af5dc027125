"""JSON Schema by jsonschema: drafts 4 to 2020-12, exact numbers, patterns with a limit, nothing ever fetched."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import lru_cache
from typing import Any

from saltpath.core import formats_of_text, patterns, plain
from saltpath.core.grammar import Unreadable
from saltpath.core.jsonpath import as_path

MOST = 20


class Unusable(ValueError):
    """The schema refers to what is not there, or a pattern of it cannot be used; says what."""


@dataclass(frozen=True, slots=True)
class SchemaAsked:
    """Where a value does not follow a schema, both as JSON: [(`.fee.total`, what is wrong)], at most 20."""

    schema: bytes
    value: bytes

    def answer(self) -> list[tuple[str, str]]:
        return list(_faults(_validator(self.schema), plain.read_json(self.value)))


def check_schema(schema: Any) -> None:
    """Raises Unreadable if it is no JSON Schema, with the place."""
    from jsonschema.exceptions import SchemaError

    if not isinstance(schema, (dict, bool)):
        raise Unreadable("a schema is a mapping")
    try:
        _class_of(schema).check_schema(schema)
    except SchemaError as problem:
        raise Unreadable(
            f"the schema is wrong at {as_path(tuple(problem.absolute_path))}: {plain.cut(problem.message, 200)}"
        ) from None
    except RecursionError:
        raise Unreadable("the schema is nested too deeply") from None


def _class_of(schema: Any) -> Any:
    from jsonschema.validators import Draft202012Validator, validator_for

    return validator_for(schema, default=Draft202012Validator)


@lru_cache(maxsize=64)
def _validator(octets: bytes) -> Any:
    from jsonschema import FormatChecker
    from jsonschema.exceptions import ValidationError
    from jsonschema.validators import extend
    from referencing import Registry

    schema = plain.read_json(octets)
    base = _class_of(schema)
    checker = base.TYPE_CHECKER.redefine("number", lambda _, value: plain.is_number(value))
    checker = checker.redefine("integer", lambda _, value: plain.is_number(value) and plain.kind_of(value) == "integer")

    def pattern(_validator: Any, wanted: Any, value: Any, _schema: Any) -> Iterator[Any]:
        if isinstance(value, str) and not _found(wanted, value):
            yield ValidationError(f"{plain.show(value, 60)} does not match {wanted}")

    formats = FormatChecker(formats=())
    for form in formats_of_text.FORMATS.values():
        formats.checks(form.name)(lambda value, holds=form.holds: not isinstance(value, str) or holds(value))
    kind = extend(  # type: ignore[no-untyped-call]
        base, {"pattern": pattern}, type_checker=checker
    )
    return kind(schema, registry=Registry(), format_checker=formats)


def _found(pattern: str, text: str) -> bool:
    try:
        return patterns.Search(pattern, text).answer()
    except patterns.PatternError as problem:
        raise Unusable(f"the pattern {pattern} cannot be read: {problem}") from None


def _faults(validator: Any, value: Any) -> Iterator[tuple[str, str]]:
    from referencing.exceptions import Unresolvable

    try:
        for count, fault in enumerate(validator.iter_errors(value)):
            if count >= MOST:
                return
            yield as_path(tuple(fault.absolute_path))[1:], _words(fault)
    except Unresolvable as problem:
        raise Unusable(f"it refers to {problem.ref}, which is not there; nothing is fetched") from None
    except RecursionError:
        raise Unusable("it refers to itself without end, or the value is nested too deeply") from None


def _words(fault: Any) -> str:
    """The library's sentence, with values as we show them."""
    shown = plain.show(fault.instance, 60)
    wanted = fault.validator_value
    sentences = {
        "type": f"{shown} is not of type {' or '.join(wanted) if isinstance(wanted, list) else wanted}",
        "enum": f"{shown} is none of {plain.show(wanted, 120)}",
        "const": f"{shown} is not {plain.show(wanted, 60)}",
        "minimum": f"{shown} is below {plain.show(wanted)}",
        "maximum": f"{shown} is above {plain.show(wanted)}",
        "format": f"{shown} is not a {wanted}",
        "required": str(fault.message).replace("'", "“", 1).replace("'", "”", 1),
    }
    return sentences.get(fault.validator) or plain.cut(str(fault.message), 200)
