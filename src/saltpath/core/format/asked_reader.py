"""Which rows of a database are asked for, as look-ups and data sources say it."""

from __future__ import annotations

from typing import Any

from saltpath.core.cases.statement import RELATIONS, Asked, Condition, read_sql
from saltpath.core.format.json_shapes import SCALAR, TEXT, list_of
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found
from saltpath.core.values.grammar import Unreadable

ASKED_KEYS = ("in", "rows of", "columns", "where", "order by", "sql", "most rows")
LARGEST_MOST = 100_000
_NAMES = {"anyOf": [TEXT, list_of(TEXT)]}
_RELATIONS = {
    "type": "object",
    "additionalProperties": False,
    "properties": {key: {} for key in RELATIONS},
}
ASKED: dict[str, Any] = {
    "rows of": TEXT,
    "columns": _NAMES,
    "where": {
        "type": "object",
        "additionalProperties": {"anyOf": [SCALAR, {"type": ["null", "array"]}, _RELATIONS]},
    },
    "order by": _NAMES,
    "sql": TEXT,
    "most rows": {"type": "integer", "minimum": 1, "maximum": LARGEST_MOST},
}


def read_asked(reading: Reading, keys: dict[str, Node], path: str, node: Node) -> Asked:
    if "in" not in keys:
        reading.wrong(
            "rows of a database need in: the name of a database of the project", path, node.line
        )
    if ("sql" in keys) == ("rows of" in keys):
        reading.wrong(
            "rows of a database need rows of: a table, or sql: one statement", path, node.line
        )
        return Asked()
    if "sql" in keys:
        for key in ("columns", "where", "order by"):
            if key in keys:
                reading.wrong(f"{key!r} is said in the SQL itself", path, keys[key].line)
        template = reading.template(keys["sql"], f"{path}.sql", "sql")
        try:
            read_sql(template)
        except Unreadable as problem:
            reading.wrong(str(problem), f"{path}.sql", keys["sql"].line)
        return Asked(sql=template)
    return Asked(
        reading.text(keys["rows of"], f"{path}.rows of", "the name of a table"),
        _names(reading, keys.get("columns"), f"{path}.columns"),
        _where(reading, keys.get("where"), f"{path}.where"),
        _names(reading, keys.get("order by"), f"{path}.order by"),
    )


def _names(reading: Reading, node: Node | None, path: str) -> tuple[str, ...]:
    """One name or a list."""
    if node is None:
        return ()
    items = node.value if isinstance(node.value, list) else [node]
    return tuple(
        reading.text(item, f"{path}[{at}]", "the name of a column") for at, item in enumerate(items)
    )


def _where(reading: Reading, node: Node | None, path: str) -> tuple[Condition, ...]:
    if node is None:
        return ()
    if not isinstance(node.value, dict):
        reading.wrong(f"where is a mapping of columns; found {found(node)}", path, node.line)
        return ()
    conditions: list[Condition] = []
    for column, child in node.value.items():
        place = f"{path}.{column}"
        if isinstance(child.value, dict):
            relations = reading.mapping(child, place, RELATIONS, (), "what is asked of a column")
            for relation, expected in relations.items():
                conditions.append(
                    Condition(column, relation, reading.tree(expected, f"{place}.{relation}"))
                )
        else:
            conditions.append(Condition(column, "is", reading.tree(child, place)))
    return tuple(conditions)


def read_most(reading: Reading, node: Node | None, path: str, usual: int) -> int:
    if node is None:
        return usual
    if (
        isinstance(node.value, int)
        and not isinstance(node.value, bool)
        and 1 <= node.value <= LARGEST_MOST
    ):
        return node.value
    reading.wrong(
        f"most rows is a number from 1 to {LARGEST_MOST}; found {found(node)}", path, node.line
    )
    return usual
