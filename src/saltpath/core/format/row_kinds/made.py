"""Rows that no file holds: written out, made from generators, combined."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, Literal

from saltpath.core.cases.row_sources import CombinedRows, MadeRows, Row, WrittenRows
from saltpath.core.format.json_shapes import list_of, object_of
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.row_kinds.columns import check_name, column_nodes
from saltpath.core.format.row_kinds.kind import Given, Keys, RowKind, add, shape_of

COMBINED: dict[str, Literal["all", "pairs"]] = {"all": "all", "pairwise": "pairs"}
MOST_MADE = 10_000_000
WRITTEN = list_of({"type": "object", "minProperties": 1})
"""The shape of rows that are written out."""


def written(reading: Reading, node: Node, path: str, pick: str) -> WrittenRows:
    rows: list[tuple[tuple[str, Any], ...]] = []
    for index, child in enumerate(reading.items(node, path, "rows")):
        place = f"{path}[{index}]"
        if not isinstance(child.value, dict) or not child.value:
            reading.wrong(
                "a row is a mapping of columns; found "
                f"{found(child) if child.value else 'an empty one'}",
                place,
                child.line,
            )
            continue
        for name in child.value:
            check_name(reading, name, place, child)
        rows.append(
            tuple(
                (name, reading.tree(value, f"{place}.{name}"))
                for name, value in child.value.items()
            )
        )
    return WrittenRows(tuple(rows), pick=pick)


def _made(reading: Reading, said: Keys) -> MadeRows:
    trees = tuple(
        (name, reading.tree(value, f"{said.path}.columns.{name}"))
        for name, value in _columns(reading, said)
    )
    count = _count(reading, said.keys["make"], f"{said.path}.make")
    return MadeRows(count, trees, pick=said.pick)


def _columns(reading: Reading, said: Keys) -> list[tuple[str, Node]]:
    place = f"{said.path}.columns"
    return column_nodes(reading, said.keys.get("columns"), place, said.node.line)


def _combined(reading: Reading, said: Keys) -> CombinedRows | None:
    node, columns, path = said.keys["combine"], _columns(reading, said), said.path
    how, sample = node.value, 0
    if isinstance(node.value, dict):
        keys = reading.mapping(node, f"{path}.combine", ("sample",), (), "combine")
        how, sample = (
            "sample",
            _count(reading, keys.get("sample", Node(None, node.line)), f"{path}.combine.sample"),
        )
    elif how not in COMBINED:
        reading.wrong(
            f"combine is all, pairwise or {{ sample: 50 }}; found {found(node)}",
            f"{path}.combine",
            node.line,
        )
        return None
    trees: list[tuple[str, tuple[Any, ...]]] = []
    for name, child in columns:
        place = f"{path}.columns.{name}"
        if not isinstance(child.value, list) or not child.value:
            reading.wrong(
                f"a column that is combined has a list of values; found {found(child)}",
                place,
                child.line,
            )
            continue
        trees.append((name, tuple(reading.tree(value, place) for value in child.value)))
    kind: Literal["all", "pairs", "sample"] = "sample" if sample else COMBINED.get(str(how), "all")
    return CombinedRows(kind, tuple(trees), sample, pick=said.pick)


def _count(reading: Reading, node: Node, path: str) -> int:
    value = node.value
    if isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= MOST_MADE:
        return value
    reading.wrong(
        f"expected how many rows, from 1 to {MOST_MADE}; found {found(node)}", path, node.line
    )
    return 1


def _rows(source: WrittenRows | MadeRows | CombinedRows, given: Given) -> Iterator[Row]:
    from saltpath.core.tables.made import made_rows  # for cases that have such rows

    return made_rows(source, given.scopes)


add(
    WrittenRows,
    RowKind(
        "rows",
        (),
        lambda reading, said: written(reading, said.keys["rows"], f"{said.path}.rows", said.pick),
        _rows,
        shape_of("rows", WRITTEN),
    ),
)
_COLUMNS = {"type": "object", "minProperties": 1}
_SAMPLE = object_of(("sample",), {"sample": {"type": "integer", "minimum": 1}})
add(
    MadeRows,
    RowKind(
        "make",
        ("columns",),
        _made,
        _rows,
        {
            **shape_of("make", {"type": "integer", "minimum": 1}, columns=_COLUMNS),
            "required": ["make", "columns"],
        },
    ),
)
add(
    CombinedRows,
    RowKind(
        "combine",
        ("columns",),
        _combined,
        _rows,
        {
            **shape_of(
                "combine",
                {"anyOf": [{"enum": ["all", "pairwise"]}, _SAMPLE]},
                columns={**_COLUMNS, "additionalProperties": {"type": "array", "minItems": 1}},
            ),
            "required": ["combine", "columns"],
        },
    ),
)
