"""What a kind of rows is: how it is written, and how its rows are read."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from typing import Any

from msgspec import Struct

from saltpath.core.cases.row_sources import DatabaseRows, Row, Source
from saltpath.core.format.json_shapes import TEXT, object_of
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading
from saltpath.core.references.scopes import Scopes
from saltpath.core.running.supplies import Supplies


class Keys(Struct, frozen=True):
    """The mapping that says where rows come from."""

    node: Node
    keys: dict[str, Node]
    path: str
    pick: str

    def text(self, reading: Reading, name: str, what: str) -> str:
        return reading.text(self.keys.get(name), f"{self.path}.{name}", what)


class Given(Struct, frozen=True):
    """What rows are read with."""

    scopes: Scopes
    supplies: Supplies
    ask: Callable[[DatabaseRows], list[dict[str, Any]]]
    """Asks a database."""
    environment: str = ""
    """Where the case goes."""


class RowKind(Struct, frozen=True):
    """One kind of rows."""

    key: str
    """The key that says it."""
    keys: tuple[str, ...]
    """The others that it may have, beside `pick`."""
    read: Callable[[Reading, Keys], Source | None]
    """What is written, with the faults told to the reading."""
    rows: Callable[[Any, Given], Iterator[Row]]
    """Its rows, one after another. Raises Blocked, and Unreadable, also while they are read."""
    shape: dict[str, Any]
    """The JSON Schema of its mapping; `shape_of` makes one."""


def shape_of(key: str, what: dict[str, Any], **others: Any) -> dict[str, Any]:
    """The shape of a mapping with a key, what that is, and the other keys that it may have."""
    return object_of((key,), {key: what, **others, "pick": TEXT})


BY_KEY: dict[str, RowKind] = {}
BY_KIND: dict[str, RowKind] = {}


def add(kind: type[Source], entry: RowKind) -> None:
    """Let there be a kind of rows, which its type has the name of."""
    BY_KEY[entry.key] = BY_KIND[kind.kind] = entry
