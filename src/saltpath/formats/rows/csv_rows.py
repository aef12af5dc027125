"""CSV as programs write it (RFC 4180, and what differs): delimiter, quote and encoding are found where they are not said."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Iterator
from dataclasses import dataclass
from itertools import islice
from typing import Any, BinaryIO

from saltpath.core.grammar import Unreadable
from saltpath.core.tables.cells import looks_with_comma
from saltpath.core.tables.frame import Table, table_of
from saltpath.core.tables.sources import FileRows
from saltpath.formats.rows.encodings import found_encoding, known_encoding, shown

DELIMITERS = ",;\t|"
LOOKED_AT = 200_000
LONGEST_CELL = 10_000_000
MOST_LINES = 10_000
_SAID = re.compile(r"\ufeff?sep=(.)\r?\n?", re.IGNORECASE)
_SINGLE = re.compile(r"(?:^|[,;\t|\n])('[^'\n]*')(?=[,;\t|\r\n]|$)")
_ALL_SINGLE = re.compile(r"'[^']*'(?:[,;\t|] *'[^']*')*")
csv.field_size_limit(LONGEST_CELL)


@dataclass(frozen=True, slots=True)
class Dialect:
    """How a file writes its cells. `quote` empty: nothing stands around them; `spaced`: a space may follow a delimiter; `said`: its first
    line says the delimiter."""

    encoding: str
    delimiter: str
    quote: str
    spaced: bool = False
    said: bool = False


def read(file: BinaryIO, source: FileRows) -> Table:
    """The table. Raises Unreadable."""
    return table_of(records(file, found_dialect(file, source)), source)


def found_dialect(file: BinaryIO, source: FileRows) -> Dialect:
    """What the source says, completed by what the file looks like. Raises Unreadable."""
    encoding = known_encoding(source.encoding) if source.encoding else found_encoding(file)
    sample = file.read(LOOKED_AT).decode(encoding, "replace")
    file.seek(0)
    if "\x00" in sample:
        raise Unreadable("this is neither a workbook (.xlsx) nor a text of cells (CSV)")
    said = _SAID.match(sample)
    quote = "" if source.quote == "none" else source.quote or _quote(sample)
    delimiter = source.delimiter or (said[1] if said else _delimiter(sample, quote))
    spaced = bool(quote) and re.search(re.escape(delimiter) + r" +" + re.escape(quote), sample) is not None
    return Dialect(encoding, delimiter, quote, spaced, said is not None)


def _quote(sample: str) -> str:
    """A single quote where it is used as one: around each name of the first row, or around a cell that has a delimiter in it."""
    cells = [] if '"' in sample else _SINGLE.findall(sample)
    if len(cells) > 1 and (
        _ALL_SINGLE.fullmatch(_first_line(sample)) or any(set(cell) & set(DELIMITERS) for cell in cells)
    ):
        return "'"
    return '"'


def _delimiter(sample: str, quote: str) -> str:
    """The one that divides the most of the first rows into the same number of cells, more than one; of several the one that gives more cells.
    If none does, a comma where the first row has one, else what stands nowhere: then there is one column, with all its commas."""
    tried = {delimiter: rows for delimiter in DELIMITERS if (rows := _first_rows(sample, delimiter, quote))}
    best, most = "", (0.0, 0)
    for delimiter, rows in tried.items():
        widths = [len(row) for row in rows[:-1] or rows]
        usual = max(widths, key=widths.count)
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
    """Whether commas divide nothing but numbers: a column of them under its name, or the cells that another delimiter gives."""
    if len(rows[0]) == 1 and rows[1:] and all(looks_with_comma(",".join(row)) for row in rows[1:]):
        return True
    for delimiter, others in tried.items():
        cells = [cell for row in others for cell in row if "," in cell]
        if delimiter != "," and len(others[0]) > 1 and all(map(looks_with_comma, cells)):
            return True
    return False


def _reader(text: io.TextIOBase, dialect: Dialect) -> Any:
    return csv.reader(
        text,
        delimiter=dialect.delimiter,
        quotechar=dialect.quote or None,
        quoting=csv.QUOTE_MINIMAL if dialect.quote else csv.QUOTE_NONE,
        skipinitialspace=dialect.spaced,
    )


def records(file: BinaryIO, dialect: Dialect) -> Iterator[list[str]]:
    """Its rows as lists of cells, the empty lines too. Raises Unreadable with the line."""
    text = io.TextIOWrapper(file, dialect.encoding, newline="")
    if dialect.said:
        text.readline()
    reader = _reader(text, dialect)
    line = 0
    try:
        for record in reader:
            if reader.line_num - line > MOST_LINES:
                raise Unreadable(f"a quote that is opened in line {line + 1} is not closed for {MOST_LINES} lines")
            line = reader.line_num
            yield record
    except csv.Error as problem:
        raise Unreadable(f"line {reader.line_num}: {problem}") from None
    except UnicodeError as problem:
        raise Unreadable(
            f"after line {reader.line_num}: its letters are not {shown(dialect.encoding)}: {getattr(problem, 'reason', problem)}"
        ) from None
