"""What a check asks of a schema (core/schemas/): whether it is one, and where a value does not
follow it, within a limit of time."""

from __future__ import annotations

from functools import lru_cache
from typing import Any

from msgspec import Struct

from saltpath.core.paths.jsonpath import as_path
from saltpath.core.schemas import (
    NEWEST,
    Dialect,
    Schema,
    Unusable,
    address_of,
    compile_schema,
    dialect_of,
    metaschemas,
)
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable

MOST = 20


class SchemaAsked(Struct, frozen=True):
    """Where a value does not follow a schema, both as JSON: [(`.fee.total`, what is wrong)], at
    most 20."""

    schema: bytes
    value: bytes

    def answer(self) -> list[tuple[str, str]]:
        faults = _compiled(self.schema).faults(plain.read_json(self.value), MOST)
        return [(as_path(fault.place)[1:], fault.sentence) for fault in faults]


@lru_cache(maxsize=64)
def _compiled(octets: bytes) -> Schema:
    return compile_schema(plain.read_json(octets))


@lru_cache(maxsize=8)
def _metaschema(dialect: Dialect) -> Schema:
    return compile_schema(metaschemas()[address_of(dialect)], formats=frozenset({"regex"}))


def check_schema(schema: Any) -> None:
    """Raises Unreadable if it is no JSON Schema, with the place."""
    if not isinstance(schema, (dict, bool)):
        raise Unreadable("a schema is a mapping")
    dialect = dialect_of(schema.get("$schema"), {}, NEWEST) if isinstance(schema, dict) else NEWEST
    try:
        faults = _metaschema(dialect).faults(schema, 1)
    except Unusable as problem:
        raise Unreadable(str(problem)) from None
    if faults:
        where = as_path(faults[0].place)
        raise Unreadable(f"the schema is wrong at {where}: {plain.cut(faults[0].sentence, 200)}")
