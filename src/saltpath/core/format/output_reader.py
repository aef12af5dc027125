"""`write:` of a step: into which table, and what its columns are."""

from __future__ import annotations

from saltpath.core.answers.subjects import read_subject
from saltpath.core.cases.case import Cell, Write
from saltpath.core.cases.expectations import Place
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found
from saltpath.core.running.outputs import OF_STEP
from saltpath.core.values.grammar import Unreadable

MOST_NAME = 200


def read_write(reading: Reading, node: Node | None, path: str) -> Write | None:
    """A row for an output table: `{ table: quotes, columns: { vessel: "[=row.vessel]", fee:
    $.fee.total } }`."""
    if node is None:
        return None
    keys = reading.mapping(node, path, ("table", "columns"), (), "write")
    columns = keys.get("columns")
    if (
        "table" not in keys
        or columns is None
        or not isinstance(columns.value, dict)
        or not columns.value
    ):
        reading.wrong(
            "write needs a table and columns: { table: quotes, columns: { vessel: "
            '"[=row.vessel]", fee: $.fee.total } }',
            path,
            node.line,
        )
        return None
    table = reading.text(keys["table"], f"{path}.table", "the name of a table")
    if len(table) > MOST_NAME or "/" in table:
        reading.wrong(
            f"a table's name has at most {MOST_NAME} characters and no /; found {table!r}",
            path,
            node.line,
        )
    cells = tuple(
        (name, _cell(reading, child, f"{path}.columns.{name}"))
        for name, child in columns.value.items()
    )
    return Write(table, cells, Place(path, node.line))


def _cell(reading: Reading, node: Node, path: str) -> Cell:
    """A text with a reference is a template, any other a subject; fixed text stands in quotes
    inside."""
    text = node.value
    if not isinstance(text, str) or "[=" in text:
        if isinstance(text, (list, dict)):
            reading.wrong(
                f"a column is a reference, a subject or a text in quotes; found {found(node)}",
                path,
                node.line,
            )
        return Cell(reading.tree(node, path))
    if text in OF_STEP:
        return Cell(None, text)
    if len(text) > 1 and text[0] == text[-1] and text[0] in "'\"":
        return Cell(text[1:-1])
    try:
        return Cell(read_subject(text))
    except Unreadable as problem:
        reading.wrong(
            f"{problem}; a fixed text stands in quotes inside: \"'{text}'\"", path, node.line
        )
        return Cell(text)
