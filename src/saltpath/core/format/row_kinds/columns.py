"""The names of columns, wherever they are written."""

from __future__ import annotations

from saltpath.core.cases.row_sources import MOST_NAME
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found


def column_nodes(
    reading: Reading, node: Node | None, path: str, line: int
) -> list[tuple[str, Node]]:
    if node is None:
        reading.wrong("these rows need columns: a mapping of names", path, line)
        return []
    if not isinstance(node.value, dict) or not node.value:
        reading.wrong(f"columns must be a mapping of names; found {found(node)}", path, node.line)
        return []
    for name in node.value:
        check_name(reading, name, path, node)
    return list(node.value.items())


def check_name(reading: Reading, name: str, path: str, node: Node) -> None:
    if not name.strip() or len(name) > MOST_NAME:
        reading.wrong(
            f"a column's name has from 1 to {MOST_NAME} characters; found {name!r}",
            path,
            node.keys.get(name, node.line),
        )
