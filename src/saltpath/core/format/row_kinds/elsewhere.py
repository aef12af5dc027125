"""Rows that are there when a case runs: the items of a list that was kept, an output table, a
database."""

from __future__ import annotations

from collections.abc import Iterator

from saltpath.core.cases.row_sources import DatabaseRows, ListRows, OutputRows, Row
from saltpath.core.cases.statement import changes
from saltpath.core.format.asked_reader import ASKED, ASKED_KEYS, LARGEST_MOST, read_asked, read_most
from saltpath.core.format.json_shapes import TEXT
from saltpath.core.format.reading import Reading
from saltpath.core.format.row_kinds.kind import Given, Keys, RowKind, add, shape_of


def _items(reading: Reading, said: Keys) -> ListRows:
    node, place = said.keys["items of"], f"{said.path}.items of"
    tree = reading.tree(node, place)
    if isinstance(tree, str):
        reading.wrong(
            f"items of needs a list, such as [=kept.vessels]; found {tree!r}", place, node.line
        )
    return ListRows(tree, pick=said.pick)


def _rows_of_list(source: ListRows, given: Given) -> Iterator[Row]:
    from saltpath.core.tables.made import made_rows  # for cases that have such rows

    return made_rows(source, given.scopes)


def _output(reading: Reading, said: Keys) -> OutputRows:
    return OutputRows(said.text(reading, "output table", "the name of a table"), pick=said.pick)


def _database(reading: Reading, said: Keys) -> DatabaseRows:
    place = f"{said.path}.most rows"
    most = read_most(reading, said.keys.get("most rows"), place, LARGEST_MOST)
    asked = read_asked(reading, said.keys, said.path, said.node)
    if changes(asked):
        sentence = "rows are only read; this statement may change something"
        reading.wrong(sentence, said.path, said.node.line)
    return DatabaseRows(
        said.text(reading, "in", "the name of a database"), asked, most, pick=said.pick
    )


add(
    ListRows,
    RowKind(
        "items of",
        (),
        _items,
        _rows_of_list,
        shape_of("items of", {"type": ["string", "array"]}),
    ),
)
add(
    OutputRows,
    RowKind(
        "output table",
        (),
        _output,
        lambda source, given: given.supplies.read_output(source.table, given.environment),
        shape_of("output table", TEXT),
    ),
)
add(
    DatabaseRows,
    RowKind(
        "in",
        ASKED_KEYS,
        _database,
        lambda source, given: (
            Row(number, values) for number, values in enumerate(given.ask(source), 1)
        ),
        {
            **shape_of("in", TEXT, **ASKED),
            "oneOf": [{"required": ["rows of"]}, {"required": ["sql"]}],
        },
    ),
)
