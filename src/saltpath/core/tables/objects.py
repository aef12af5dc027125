"""Rows of JSON: the items of a list, their nested fields as columns (`berth.metres`)."""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from itertools import chain, islice
from typing import Any

from saltpath.core.cases.row_sources import Area, FileRows, Row
from saltpath.core.paths import jsonpath
from saltpath.core.tables.cells import BadCell, Unfit, fitted, problem_of
from saltpath.core.tables.frame import Frame
from saltpath.core.tables.table import Table
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Why

LOOKED_AT = 1_000
ITEM = "item"
MOST_LISTS = 10
DEEPEST_LIST = 6


def list_in(document: Any, path: str) -> list[Any]:
    """The list that the rows are: at the path, or the whole document, or the one list that it
    holds. Raises Unreadable."""
    if path:
        try:
            read = jsonpath.read_path(path.removesuffix("[*]"))
        except jsonpath.PathError as problem:
            raise Unreadable(f"the path {path} cannot be read: {problem}") from None
        if not read.singular:
            raise Unreadable(
                f"a path to a list has names and indexes only, such as $.items; found {path}"
            )
        document = read.get(document)
        if document is jsonpath.MISSING:
            raise Unreadable(f"nothing stands at {path}")
    if isinstance(document, list):
        return document
    if path:
        raise Unreadable(f"at {path} there is no list")
    lists = (
        [value for value in document.values() if isinstance(value, list)]
        if isinstance(document, dict)
        else []
    )
    if len(lists) != 1:
        raise Unreadable("it is not a list; say by a path where the list stands, such as $.items")
    return list(lists[0])


def lists_in(document: Any) -> list[str]:
    """The paths of the lists that a document holds, outermost first and none inside another; at
    most ten."""
    found: list[str] = []
    waiting: list[tuple[jsonpath.Location, Any]] = [((), document)]
    for location, value in waiting:
        if isinstance(value, list):
            found.append(jsonpath.as_path(location))
        elif isinstance(value, dict) and len(location) < DEEPEST_LIST:
            waiting += [((*location, str(name)), below) for name, below in value.items()]
    return found[:MOST_LISTS]


def flat(item: Any) -> dict[str, Any]:
    """An item as a row: fields by name, those of objects inside as `berth.metres`; what is no
    object stands alone as `item`. A field that is called as one inside another gets a number."""
    if not isinstance(item, dict):
        return {ITEM: item}
    values: dict[str, Any] = {}
    waiting: list[tuple[str, Any]] = [(str(name), value) for name, value in reversed(item.items())]
    while waiting:
        name, value = waiting.pop()
        if isinstance(value, dict) and value and name.count(".") < 20:
            waiting += [(f"{name}.{inner}", below) for inner, below in reversed(value.items())]
        else:
            free, number = name, 1
            while free in values:
                number += 1
                free = f"{name} ({number})"
            values[free] = value
    return values


def table_of_items(items: Iterable[Any], source: FileRows) -> Table:
    """The rows of a list's items. Columns are the fields of the first thousand; what an item lacks
    is null. Raises Unreadable."""
    reading = map(flat, items)
    first = list(islice(reading, LOOKED_AT))
    if not first:
        raise Unreadable("its list holds no item")
    names = list(dict.fromkeys(name for item in first for name in item))
    return Table(Frame(0, Area(1, 1)), names, _rows(chain(first, reading), names, source))


def _rows(items: Iterable[dict[str, Any]], names: list[str], source: FileRows) -> Iterator[Row]:
    columns = {column.name: column for column in source.columns}
    for number, item in enumerate(items, 1):
        values: dict[str, Any] = dict.fromkeys(names) | item
        bad = next((cell for cell in item.values() if isinstance(cell, BadCell)), None)
        problem: Why | None = None if bad is None else problem_of(bad, bad.place, "", number)
        for name, column in columns.items():
            if name in values and not isinstance(values[name], BadCell):
                try:
                    values[name] = fitted(
                        values[name], column.kind, column.may_be_empty, source.decimal
                    )
                except Unfit:
                    problem = problem or problem_of(values[name], name, column.kind, number)
        yield Row(number, values, problem)
