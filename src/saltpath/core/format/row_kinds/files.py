"""Rows of a file, and of a source of the project by its name."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any, NoReturn

from saltpath.core.cases.row_sources import (
    CELL_KINDS,
    Area,
    Column,
    FileRows,
    NamedRows,
    Row,
    Source,
)
from saltpath.core.format.json_shapes import COUNT, FLAG, TEXT, object_of
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.row_kinds.columns import column_nodes
from saltpath.core.format.row_kinds.kind import Given, Keys, RowKind, add, shape_of
from saltpath.core.values.charsets import codec_of, no_encoding
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed

LONGEST_COMMENT = 10
COLUMN_KEYS = ("kind", "may be empty")
FILE_ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".xlsm", ".json", ".jsonl", ".ndjson")
COLUMN = {
    "anyOf": [
        {"enum": list(CELL_KINDS)},
        object_of((), {"kind": {"enum": list(CELL_KINDS)}, "may be empty": FLAG}),
    ]
}
SHAPE: dict[str, Any] = {
    "sheet": TEXT,
    "names in": COUNT,
    "data in": {
        "type": "string",
        "pattern": "^[A-Za-z]{1,3}[1-9][0-9]*(:([A-Za-z]{1,3})?([1-9][0-9]*)?)?$",
    },
    "delimiter": TEXT,
    "quote": TEXT,
    "encoding": TEXT,
    "decimal": {"enum": [",", "."]},
    "comments": {"type": "string", "minLength": 1, "maxLength": LONGEST_COMMENT},
    "path": TEXT,
    "columns": {"type": "object", "additionalProperties": COLUMN},
}
FILE_KEYS = tuple(SHAPE)


def by_name(reading: Reading, name: str, said: Keys) -> Source:
    """A file by its path, else a source of the project."""
    if is_path(name):
        return _file(reading, said, name)
    for key in FILE_KEYS:
        if key in said.keys:
            reading.wrong(
                f"{key!r} is said where the source {name!r} is, in the project",
                said.path,
                said.keys[key].line,
            )
    return NamedRows(name, pick=said.pick)


def is_path(name: str) -> bool:
    """Whether a name is rather the path of a file."""
    return name.lower().endswith(FILE_ENDINGS) or "/" in name


def _file(reading: Reading, said: Keys, file: str) -> FileRows:
    keys, path = said.keys, said.path

    def text(name: str) -> str:
        return reading.text(keys.get(name), f"{path}.{name}", name)

    delimiter = {"tab": "\t"}.get(text("delimiter"), text("delimiter"))
    for name, value in (("delimiter", delimiter), ("quote", text("quote"))):
        if len(value) > 1 and value != "none":
            reading.wrong(
                f"{name} is one character{', or tab' if name == 'delimiter' else ', or none'}; "
                f"found {value!r}",
                path,
                keys[name].line,
            )
    decimal = text("decimal")
    if decimal not in ("", ",", "."):
        reading.wrong(f"decimal is , or .; found {decimal!r}", path, keys["decimal"].line)
    encoding = text("encoding")
    if encoding and codec_of(encoding) is None:
        reading.wrong(no_encoding(encoding), path, keys["encoding"].line)
    comments = text("comments")
    if "comments" in keys and not 1 <= len(comments.strip()) <= LONGEST_COMMENT:
        reading.wrong(
            f"comments is what lines begin with that are left out, such as #; found {comments!r}",
            path,
            keys["comments"].line,
        )
    return FileRows(
        file,
        text("sheet"),
        _names_in(reading, keys.get("names in"), f"{path}.names in"),
        _area(reading, keys.get("data in"), f"{path}.data in"),
        delimiter,
        text("quote"),
        encoding,
        decimal,
        comments,
        text("path"),
        _columns(reading, keys.get("columns"), f"{path}.columns"),
        pick=said.pick,
    )


def _names_in(reading: Reading, node: Node | None, path: str) -> int | None:
    if node is None:
        return None
    if isinstance(node.value, int) and not isinstance(node.value, bool) and 0 <= node.value <= 1000:
        return node.value
    reading.wrong(
        f"names in is the number of the row that has the names, or 0; found {found(node)}",
        path,
        node.line,
    )
    return None


def _area(reading: Reading, node: Node | None, path: str) -> Area | None:
    if node is None:
        return None
    # what reads files is imported for cases that have some
    from saltpath.core.tables.frame import read_area

    try:
        return read_area(reading.text(node, path, "data in"))
    except Unreadable as problem:
        reading.wrong(str(problem), path, node.line)
        return None


def _columns(reading: Reading, node: Node | None, path: str) -> tuple[Column, ...]:
    columns = []
    for name, child in column_nodes(reading, node, path, 0) if node is not None else ():
        place, empty = f"{path}.{name}", False
        kind_node = child
        if isinstance(child.value, dict):
            keys = reading.mapping(child, place, COLUMN_KEYS, (), "a column")
            empty = reading.flag(keys.get("may be empty"), place, "may be empty")
            kind_node = keys.get("kind", Node("text", child.line))
        kind = reading.text(kind_node, place, "a column's kind")
        if kind and kind not in CELL_KINDS:
            reading.wrong(
                f"a column's kind is {listed(CELL_KINDS, 9)}; found {kind!r}", place, child.line
            )
        columns.append(Column(name, kind, empty))
    return tuple(columns)


def _nameless(source: NamedRows, given: Given) -> NoReturn:
    raise AssertionError("a name is looked up in the project before rows are read")


def _rows(source: FileRows, given: Given) -> Iterator[Row]:
    return given.supplies.read_rows(source)


add(
    FileRows,
    RowKind(
        "file",
        FILE_KEYS,
        lambda reading, said: _file(reading, said, said.text(reading, "file", "the file's path")),
        _rows,
        shape_of("file", TEXT, **SHAPE),
    ),
)
add(
    NamedRows,
    RowKind(
        "source",
        FILE_KEYS,
        lambda reading, said: by_name(
            reading, said.text(reading, "source", "the name of a source"), said
        ),
        _nameless,
        shape_of("source", TEXT, **SHAPE),
    ),
)
