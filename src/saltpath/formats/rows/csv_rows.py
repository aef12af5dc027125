"""CSV as programs write it (RFC 4180, and what differs): delimiter, quote and encoding are found
where they are not said."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterable, Iterator
from itertools import islice
from typing import Any, BinaryIO

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.row_sources import FileRows
from saltpath.core.tables.cells import BadCell, looks_with_comma
from saltpath.core.tables.frame import column_letters
from saltpath.core.tables.table import Table, table_of
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import why
from saltpath.formats.rows.encodings import found_encoding, known_encoding, shown
from saltpath.formats.rows.letters import Guess

DELIMITERS = ",;\t|"
LOOKED_AT = 200_000
LONGEST_CELL = 10_000_000
MOST_LINES = 10_000
_SAID = re.compile(r"\ufeff?sep=(.)\r?\n?", re.IGNORECASE)
_SINGLE = re.compile(r"(?:^|[,;\t|\n])('[^'\n]*')(?=[,;\t|\r\n]|$)")
_ALL_SINGLE = re.compile(r"'[^']*'(?:[,;\t|] *'[^']*')*")
_POINTED = re.compile(r"[+-]?\d+\.\d+")
_ESCAPED = re.compile("[\udc80-\udcff]")
"""Octets that are no letters in the encoding."""
csv.field_size_limit(LONGEST_CELL)


class Dialect(Struct, frozen=True):
    """How a file writes its cells."""

    encoding: str
    delimiter: str
    quote: str
    """Empty: nothing stands around them."""
    spaced: bool = False
    """A space may follow a delimiter."""
    said: bool = False
    """Its first line says the delimiter."""
    sure: bool = True
    """Whether the encoding is known rather than guessed by a few letters."""
    escaped: bool = False
    """A quote within quotes may have a backslash before it rather than another quote."""
    decimal: str = ""
    """What stands before decimals, where that is a comma: numbers have one, and none has a
    point."""
    comments: str = ""
    """What a line begins with that is left out."""


def read(file: BinaryIO, source: FileRows) -> Table:
    """The table. Raises Unreadable."""
    dialect = found_dialect(file, source)
    table = table_of(
        records(file, dialect), replace(source, decimal=source.decimal or dialect.decimal)
    )
    if dialect.sure:
        return table
    guess = why("encoding-guessed", encoding=shown(dialect.encoding))
    return replace(table, frame=replace(table.frame, doubts=(guess, *table.frame.doubts)))


def found_dialect(file: BinaryIO, source: FileRows) -> Dialect:
    """What the source says, completed by what the file looks like. Raises Unreadable."""
    encoding, sure = (
        Guess(known_encoding(source.encoding), True) if source.encoding else found_encoding(file)
    )
    sample = file.read(LOOKED_AT).decode(encoding, "replace")
    file.seek(0)
    if source.comments:
        sample = "".join(
            line for line in sample.splitlines(True) if not line.startswith(source.comments)
        )
    if "\x00" in sample:
        raise Unreadable("this is neither a workbook (.xlsx) nor a text of cells (CSV)")
    said = _SAID.match(sample)
    quote = "" if source.quote == "none" else source.quote or _quote(sample)
    delimiter = source.delimiter or (said[1] if said else _delimiter(sample, quote))
    spaced = (
        bool(quote)
        and re.search(re.escape(delimiter) + r" +" + re.escape(quote), sample) is not None
    )
    escaped = bool(quote) and _is_escaped(sample, quote)
    decimal = "," if delimiter != "," and _has_commas(_first_rows(sample, delimiter, quote)) else ""
    return Dialect(
        encoding,
        delimiter,
        quote,
        spaced,
        said is not None,
        sure,
        escaped,
        decimal,
        source.comments,
    )


def _has_commas(rows: list[list[str]]) -> bool:
    """Whether numbers have a comma before their decimals, and none has a point."""
    cells = [cell.strip() for row in rows for cell in row]
    return any(map(looks_with_comma, cells)) and not any(map(_POINTED.fullmatch, cells))


def _is_escaped(sample: str, quote: str) -> bool:
    """Whether quotes within cells have a backslash before them: some do that do not end a cell, and
    no backslash stands before anything else."""
    mark = re.escape(quote)
    within = re.search(rf"[^\\\n]\\{mark}(?![,;\t|\r\n]|\Z)", sample)
    return within is not None and re.search(rf"\\[^\\{mark}]", sample) is None


def _quote(sample: str) -> str:
    """A single quote where it is used as one: around each name of the first row, or around a cell
    that has a delimiter in it."""
    cells = [] if '"' in sample else _SINGLE.findall(sample)
    if len(cells) > 1 and (
        _ALL_SINGLE.fullmatch(_first_line(sample))
        or any(set(cell) & set(DELIMITERS) for cell in cells)
    ):
        return "'"
    return '"'


def _delimiter(sample: str, quote: str) -> str:
    """The one that divides the most of the first rows into the same number of cells, more than one;
    of several the one that gives more cells. If none does, a comma where the first row has one,
    else what stands nowhere: then there is one column, with all its commas."""
    tried = {
        delimiter: rows
        for delimiter in DELIMITERS
        if (rows := _first_rows(sample, delimiter, quote))
    }
    best, most = "", (0.0, 0)
    for delimiter, rows in tried.items():
        widths = [len(row) for row in rows[:-1] or rows]
        usual = max(widths, key=lambda width: (widths.count(width), width))
        score = (widths.count(usual) / len(widths), usual)
        if usual > 1 and score > most and not (delimiter == "," and _are_decimal(rows, tried)):
            best, most = delimiter, score
    return best or ("," if "," in _first_line(sample) else min(DELIMITERS, key=sample.count))


def _first_line(sample: str) -> str:
    return next(filter(str.strip, sample.splitlines()), "")


def _first_rows(sample: str, delimiter: str, quote: str) -> list[list[str]]:
    reader = _reader(io.StringIO(sample, newline=""), Dialect("", delimiter, quote))
    try:
        return [row for row in islice(reader, 40) if row]
    except csv.Error:
        return []


def _are_decimal(rows: list[list[str]], tried: dict[str, list[list[str]]]) -> bool:
    """Whether commas divide nothing but numbers: a column of them under its name, or the cells that
    another delimiter gives."""
    if len(rows[0]) == 1 and rows[1:] and all(looks_with_comma(",".join(row)) for row in rows[1:]):
        return True
    for delimiter, others in tried.items():
        cells = [cell for row in others for cell in row if "," in cell]
        if delimiter != "," and len(others[0]) > 1 and all(map(looks_with_comma, cells)):
            return True
    return False


def _reader(text: Iterable[str], dialect: Dialect, strict: bool = False) -> Any:
    return csv.reader(
        text,
        delimiter=dialect.delimiter,
        quotechar=dialect.quote or None,
        quoting=csv.QUOTE_MINIMAL if dialect.quote else csv.QUOTE_NONE,
        skipinitialspace=dialect.spaced,
        escapechar="\\" if dialect.escaped else None,
        strict=strict,
    )


def records(file: BinaryIO, dialect: Dialect) -> Iterator[list[Any]]:
    """Its rows as lists of cells, the empty lines too; a cell whose letters are not of the encoding
    is a BadCell. Raises Unreadable with the line, also of a quote that is not closed."""
    text = io.TextIOWrapper(file, dialect.encoding, errors="surrogateescape", newline="")
    if dialect.said:
        text.readline()
    lines = _Lines(text, dialect.comments)
    reader = _reader(lines, dialect)
    line = 0
    try:
        for record in reader:
            several = reader.line_num - line > 1
            if several and (
                reader.line_num - line > MOST_LINES or not _is_closed(lines.taken, dialect)
            ):
                raise Unreadable(
                    f"a quote that is opened in line {line + 1} is not closed where its cell "
                    "ends; if quotes are letters in it, say that nothing stands around cells"
                )
            line = reader.line_num
            lines.taken.clear()
            yield record if lines.whole else _with_bad_cells(record, line, dialect)
    except csv.Error as problem:
        raise Unreadable(f"line {reader.line_num}: {problem}") from None
    except UnicodeError as problem:
        raise Unreadable(
            f"after line {reader.line_num}: its letters are not {shown(dialect.encoding)}: "
            f"{getattr(problem, 'reason', problem)}"
        ) from None


class _Lines:
    """The lines of a text, one after the other."""

    def __init__(self, text: io.TextIOBase, comments: str) -> None:
        self._text, self._comments = text, comments
        self.taken: list[str] = []
        """Those of the record that is being read."""
        self.whole = True
        """Whether each letter so far could be read."""

    def __iter__(self) -> Iterator[str]:
        for line in self._text:
            if self._comments and not self.taken and line.startswith(self._comments):
                line = "\n"  # an empty line, so that all others keep their numbers
            if len(self.taken) <= MOST_LINES:
                self.taken.append(line)
            if self.whole and not line.isascii():
                self.whole = _ESCAPED.search(line) is None
            yield line


def _is_closed(lines: list[str], dialect: Dialect) -> bool:
    """Whether a record over several lines is one: where a quote was left open, a later one closes
    it, and a cell goes on behind that."""
    try:
        next(iter(_reader(lines, dialect, strict=True)), None)
    except csv.Error:
        return False
    return True


def _with_bad_cells(record: list[str], line: int, dialect: Dialect) -> list[Any]:
    return [
        BadCell(f"{column_letters(at)} in line {line}", "cell-letters", shown(dialect.encoding))
        if _ESCAPED.search(cell)
        else cell
        for at, cell in enumerate(record, 1)
    ]
