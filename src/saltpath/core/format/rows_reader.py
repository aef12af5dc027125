"""Where rows come from, as a case's `rows` and a project's `sources` say it."""

from __future__ import annotations

from typing import Any, Literal

from saltpath.core.cases.row_sources import (
    CELL_KINDS,
    Area,
    Column,
    CombinedRows,
    DatabaseRows,
    FileRows,
    ListRows,
    MadeRows,
    NamedRows,
    OutputRows,
    Source,
    WrittenRows,
)
from saltpath.core.cases.statement import changes
from saltpath.core.format.asked_reader import ASKED_KEYS, LARGEST_MOST, read_asked, read_most
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found
from saltpath.core.values.charsets import codec_of, no_encoding
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed

LONGEST_COMMENT = 10
FILE_KEYS = (
    "sheet",
    "names in",
    "data in",
    "delimiter",
    "quote",
    "encoding",
    "decimal",
    "comments",
    "path",
    "columns",
)
ROWS_KEYS = (
    "source",
    "file",
    *FILE_KEYS,
    "make",
    "combine",
    "items of",
    "output table",
    "rows",
    *ASKED_KEYS,
    "pick",
)
COLUMN_KEYS = ("kind", "may be empty")
FILE_ENDINGS = (".csv", ".tsv", ".txt", ".xlsx", ".xlsm", ".json", ".jsonl", ".ndjson")
COMBINED: dict[str, Literal["all", "pairs"]] = {"all": "all", "pairwise": "pairs"}
MOST_MADE = 10_000_000
MOST_NAME = 200
_KINDS_OF_SOURCE = ("source", "file", "make", "combine", "items of", "output table", "rows", "in")


def read_rows(
    reading: Reading, node: Node | None, path: str = "rows", named: bool = True
) -> Source | None:
    """A case's rows: the name of a source or a file, rows written out, or a mapping. Of a project's
    source (`named` False) the name of another is none."""
    if node is None:
        return None
    if isinstance(node.value, str):
        return _by_name(reading, node, path, {}, "", named)
    if isinstance(node.value, list):
        return _written(reading, node, path, "")
    keys = reading.mapping(node, path, ROWS_KEYS, (), "rows")
    kinds = [key for key in _KINDS_OF_SOURCE if key in keys]
    if len(kinds) != 1:
        said = listed(kinds) if kinds else "none of them"
        reading.wrong(
            f"rows come from one of {listed(_KINDS_OF_SOURCE)}; found {said}", path, node.line
        )
        return None
    kind = kinds[0]
    pick = _pick(reading, keys.get("pick"), f"{path}.pick")
    _only_of(reading, keys, kind, path)
    child = keys[kind]
    if kind == "file":
        return _file(
            reading, keys, reading.text(child, f"{path}.file", "the file's path"), path, pick
        )
    if kind == "source":
        return _by_name(reading, child, path, keys, pick, named)
    if kind == "rows":
        return _written(reading, child, f"{path}.rows", pick)
    if kind == "in":
        most = read_most(reading, keys.get("most rows"), f"{path}.most rows", LARGEST_MOST)
        asked = read_asked(reading, keys, path, node)
        if changes(asked):
            reading.wrong(
                "rows are only read; this statement may change something", path, node.line
            )
        return DatabaseRows(
            reading.text(child, f"{path}.in", "the name of a database"), asked, most, pick
        )
    if kind == "output table":
        return OutputRows(reading.text(child, f"{path}.output table", "the name of a table"), pick)
    if kind == "items of":
        tree = reading.tree(child, f"{path}.items of")
        if isinstance(tree, str):
            reading.wrong(
                f"items of needs a list, such as [=kept.vessels]; found {tree!r}",
                f"{path}.items of",
                child.line,
            )
        return ListRows(tree, pick)
    columns = _column_nodes(reading, keys.get("columns"), f"{path}.columns", node.line)
    if kind == "make":
        trees = tuple(
            (name, reading.tree(value, f"{path}.columns.{name}")) for name, value in columns
        )
        return MadeRows(_count(reading, child, f"{path}.make"), trees, pick)
    return _combined(reading, child, columns, path, pick)


def _only_of(reading: Reading, keys: dict[str, Node], kind: str, path: str) -> None:
    """A key that belongs to another kind of source would do nothing, so it is refused."""
    allowed = {
        "in": ASKED_KEYS,
        "file": FILE_KEYS,
        "source": FILE_KEYS,
        "make": ("columns",),
        "combine": ("columns",),
    }.get(kind, ())
    for name, node in keys.items():
        if name not in (kind, "pick", *allowed):
            reading.wrong(f"{name!r} has no meaning for rows with {kind!r}", path, node.line)


def _by_name(
    reading: Reading, node: Node, path: str, keys: dict[str, Node], pick: str, named: bool
) -> Source | None:
    name = reading.text(node, f"{path}.source", "the name of a source")
    if name.lower().endswith(FILE_ENDINGS) or "/" in name:
        return _file(reading, keys, name, path, pick)
    if not named:
        reading.wrong(
            f"a source is a file or rows of its own; found the name {name!r}", path, node.line
        )
        return None
    for key in FILE_KEYS:
        if key in keys:
            reading.wrong(
                f"{key!r} is said where the source {name!r} is, in the project",
                path,
                keys[key].line,
            )
    return NamedRows(name, pick)


def _file(reading: Reading, keys: dict[str, Node], file: str, path: str, pick: str) -> FileRows:
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
        pick,
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
    for name, child in _column_nodes(reading, node, path, 0) if node is not None else ():
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


def _column_nodes(
    reading: Reading, node: Node | None, path: str, line: int
) -> list[tuple[str, Node]]:
    if node is None:
        reading.wrong("these rows need columns: a mapping of names", path, line)
        return []
    if not isinstance(node.value, dict) or not node.value:
        reading.wrong(f"columns must be a mapping of names; found {found(node)}", path, node.line)
        return []
    for name in node.value:
        _name(reading, name, path, node)
    return list(node.value.items())


def _name(reading: Reading, name: str, path: str, node: Node) -> None:
    if not name.strip() or len(name) > MOST_NAME:
        reading.wrong(
            f"a column's name has from 1 to {MOST_NAME} characters; found {name!r}",
            path,
            node.keys.get(name, node.line),
        )


def _written(reading: Reading, node: Node, path: str, pick: str) -> WrittenRows:
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
            _name(reading, name, place, child)
        rows.append(
            tuple(
                (name, reading.tree(value, f"{place}.{name}"))
                for name, value in child.value.items()
            )
        )
    return WrittenRows(tuple(rows), pick)


def _combined(
    reading: Reading, node: Node, columns: list[tuple[str, Node]], path: str, pick: str
) -> CombinedRows | None:
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
    return CombinedRows(
        "sample" if sample else COMBINED.get(str(how), "all"), tuple(trees), sample, pick
    )


def _count(reading: Reading, node: Node, path: str) -> int:
    value = node.value
    if isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= MOST_MADE:
        return value
    reading.wrong(
        f"expected how many rows, from 1 to {MOST_MADE}; found {found(node)}", path, node.line
    )
    return 1


def _pick(reading: Reading, node: Node | None, path: str) -> str:
    from saltpath.core.format.picking import read_picks

    text = reading.text(node, path, "pick")
    try:
        read_picks(text)
    except Unreadable as problem:
        assert node is not None
        reading.wrong(str(problem), path, node.line)
    return text
