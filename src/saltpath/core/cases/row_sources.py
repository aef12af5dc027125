"""What a data source is, as types: a file with its frame, rows that are written out, made,
combined, or taken from a list.

`format/rows_reader.py` reads them from documents; `formats/rows/` reads the files.
"""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

from msgspec import Struct

from saltpath.core.cases.statement import Asked
from saltpath.core.values.why import Why

CELL_KINDS = ("text", "number", "integer", "boolean", "date", "date-time", "list", "object")


class Row(NamedTuple):
    """One row: its number in its source, from 1, and its values by column. `why`: what keeps it
    from being carried out."""

    number: int
    values: dict[str, Any]
    why: Why | None = None


class Column(Struct, frozen=True):
    """What the cells of a column must be. `may_be_empty`: then an empty one is null."""

    name: str
    kind: str = ""
    may_be_empty: bool = False


class Area(Struct, frozen=True):
    """Cells from the top left one to the last column and row, all counted from 1; None: as far as
    there are any."""

    row: int
    column: int
    last_column: int | None = None
    last_row: int | None = None


class FileRows(Struct, frozen=True):
    """Rows of a file of the project: CSV, XLSX, JSON or JSON Lines. `names_in`: the row that has
    the columns' names, 0: none does; `data_in`: where the data stand; None of either: as it is
    found. `path`: a JSON path to the list. What is empty is found; but `comments`, what a line
    begins with that is left out, is said or there are none."""

    file: str
    sheet: str = ""
    names_in: int | None = None
    data_in: Area | None = None
    delimiter: str = ""
    quote: str = ""
    encoding: str = ""
    decimal: str = ""
    comments: str = ""
    path: str = ""
    columns: tuple[Column, ...] = ()
    pick: str = ""


class NamedRows(Struct, frozen=True):
    """Rows of a source of the project, by its name."""

    source: str
    pick: str = ""


class WrittenRows(Struct, frozen=True):
    """Rows that are written out: compiled trees by column."""

    rows: tuple[tuple[tuple[str, Any], ...], ...]
    pick: str = ""


class MadeRows(Struct, frozen=True):
    """So many rows, each column made from its tree."""

    count: int
    columns: tuple[tuple[str, Any], ...]
    pick: str = ""


class CombinedRows(Struct, frozen=True):
    """Values of each column combined: every combination; as few as hold every pair of values of two
    columns; or so many, drawn."""

    how: Literal["all", "pairs", "sample"]
    columns: tuple[tuple[str, tuple[Any, ...]], ...]
    sample: int = 0
    pick: str = ""


class ListRows(Struct, frozen=True):
    """The items of a list that a step of `once` kept."""

    of: Any
    pick: str = ""


class OutputRows(Struct, frozen=True):
    """The rows of an output table: those that this run has written when the case begins, if an
    earlier case of it writes there; else those of the newest run that did."""

    table: str
    pick: str = ""


class DatabaseRows(Struct, frozen=True):
    """The rows of a table of a database, or what a statement gives; at most `most`."""

    database: str
    asked: Asked
    most: int = 100_000
    pick: str = ""


def trees_of(source: Source | None) -> list[Any]:
    """What is worked out for the rows: compiled trees, in which references may stand."""
    if isinstance(source, ListRows):
        return [source.of]
    if isinstance(source, DatabaseRows):
        return source.asked.trees()
    if isinstance(source, WrittenRows):
        return [tree for row in source.rows for _, tree in row]
    if isinstance(source, (MadeRows, CombinedRows)):
        return [list(tree) if isinstance(tree, tuple) else tree for _, tree in source.columns]
    return []


Source = (
    FileRows
    | NamedRows
    | WrittenRows
    | MadeRows
    | CombinedRows
    | ListRows
    | OutputRows
    | DatabaseRows
)


def kind_of(source: Source | None) -> str:
    """What a source is, in a word: file, named, written, made, combined, list, output or
    database."""
    kinds = {
        FileRows: "file",
        NamedRows: "named",
        WrittenRows: "written",
        MadeRows: "made",
        CombinedRows: "combined",
        ListRows: "list",
        OutputRows: "output",
        DatabaseRows: "database",
    }
    return kinds[type(source)] if source is not None else ""
