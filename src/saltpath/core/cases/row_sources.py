"""What a data source is, as types: a file with its frame, rows that are written out, made,
combined, or taken from a list.

`format/row_kinds/` reads them from documents; `formats/rows/` reads the files.
"""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, ClassVar, Literal, NamedTuple

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.statement import Asked
from saltpath.core.values.nearest import nearest
from saltpath.core.values.why import Why, why

MOST_NAME = 200
"""Characters of a column's name."""
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


class Source(Struct, frozen=True, kw_only=True):
    """Where rows come from. How each kind is written and read stands in `format/row_kinds/`."""

    pick: str = ""
    """Which of its rows are meant (format/picking.py); empty: all."""
    kind: ClassVar[str] = ""
    """What it is, in a word."""
    may_differ: ClassVar[bool] = False
    """Whether its rows, and its columns, are known only when it is read."""

    def trees(self) -> list[Any]:
        """What is worked out for the rows: compiled trees, in which references may stand."""
        return []

    def title(self) -> str:
        """What it is called in a sentence."""
        return "this case"

    def columns_said(self) -> list[str] | None:
        """Its columns in order, where they are written down."""
        return None

    def reads_file(self) -> str:
        """The path of the project's file that it reads."""
        return ""

    def reads_table(self) -> str:
        """The output table that it reads."""
        return ""

    def among(self, sources: Mapping[str, Source]) -> Source | Why:
        """The source that is meant, of a project's by their names, or why there is none."""
        return self


class FileRows(Source, frozen=True):
    """Rows of a file of the project: CSV, XLSX, JSON or JSON Lines. What is empty is found; but
    `comments` is said or there are none."""

    file: str
    sheet: str = ""
    names_in: int | None = None
    """The row that has the columns' names, 0: none does; None: as it is found."""
    data_in: Area | None = None
    """Where the data stand; None: as it is found."""
    delimiter: str = ""
    quote: str = ""
    encoding: str = ""
    decimal: str = ""
    comments: str = ""
    """What a line begins with that is left out."""
    path: str = ""
    """A JSON path to the list."""
    columns: tuple[Column, ...] = ()
    kind: ClassVar[str] = "file"

    def title(self) -> str:
        return f"{self.file} ({self.sheet})" if self.sheet else self.file

    def reads_file(self) -> str:
        return self.file


class NamedRows(Source, frozen=True):
    """Rows of a source of the project, by its name."""

    source: str
    kind: ClassVar[str] = "named"

    def title(self) -> str:
        return self.source

    def among(self, sources: Mapping[str, Source]) -> Source | Why:
        found = sources.get(self.source)
        if found is None:
            near = nearest(self.source, sources)
            hint = f"; did you mean {near}?" if near else ""
            return why("no-source", name=self.source, near=hint)
        return replace(found, pick=self.pick) if self.pick else found


class WrittenRows(Source, frozen=True):
    """Rows that are written out: compiled trees by column."""

    rows: tuple[tuple[tuple[str, Any], ...], ...]
    kind: ClassVar[str] = "written"

    def trees(self) -> list[Any]:
        return [tree for row in self.rows for _, tree in row]

    def columns_said(self) -> list[str] | None:
        return list(dict.fromkeys(name for row in self.rows for name, _ in row))


class MadeRows(Source, frozen=True):
    """So many rows, each column made from its tree."""

    count: int
    columns: tuple[tuple[str, Any], ...]
    kind: ClassVar[str] = "made"

    def trees(self) -> list[Any]:
        return [tree for _, tree in self.columns]

    def columns_said(self) -> list[str] | None:
        return [name for name, _ in self.columns]


class CombinedRows(Source, frozen=True):
    """Values of each column combined: every combination; as few as hold every pair of values of two
    columns; or so many, drawn."""

    how: Literal["all", "pairs", "sample"]
    columns: tuple[tuple[str, tuple[Any, ...]], ...]
    sample: int = 0
    kind: ClassVar[str] = "combined"

    def trees(self) -> list[Any]:
        return [list(values) for _, values in self.columns]

    def columns_said(self) -> list[str] | None:
        return [name for name, _ in self.columns]


class ListRows(Source, frozen=True):
    """The items of a list that a step of `once` kept."""

    of: Any
    kind: ClassVar[str] = "list"
    may_differ: ClassVar[bool] = True

    def trees(self) -> list[Any]:
        return [self.of]


class OutputRows(Source, frozen=True):
    """The rows of an output table: those that this run has written when the case begins, if an
    earlier case of it writes there; else those of the newest run that did."""

    table: str
    kind: ClassVar[str] = "output"

    def title(self) -> str:
        return f"the output table {self.table}"

    def reads_table(self) -> str:
        return self.table


class DatabaseRows(Source, frozen=True):
    """The rows of a table of a database, or what a statement gives; at most `most`."""

    database: str
    asked: Asked
    most: int = 100_000
    kind: ClassVar[str] = "database"
    may_differ: ClassVar[bool] = True

    def trees(self) -> list[Any]:
        return self.asked.trees()

    def title(self) -> str:
        return f"{self.database} ({self.asked.table or 'SQL'})"
