"""JSON and JSON Lines: the items of a list, a line each."""

from __future__ import annotations

import io
import re
from collections import Counter
from collections.abc import Iterator
from typing import Any, BinaryIO

from saltpath.core.cases.row_sources import FileRows
from saltpath.core.tables.cells import BadCell
from saltpath.core.tables.objects import list_in, table_of_items
from saltpath.core.tables.table import Table
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.rows.encodings import found_encoding, known_encoding

LARGEST = 100_000_000
LONGEST_LINE = 20_000_000
MOST_NOTED = 20_000_000
"""Characters of a document in which names that stand twice are looked for; that takes longer than
reading it."""
_HALF = re.compile(r"\\u[dD][89a-fA-F]")
"""Half of a character, perhaps without its other half."""


def read(file: BinaryIO, source: FileRows) -> Table:
    """The list in a JSON document of at most 100 MB. Raises Unreadable."""
    return table_of_items(list_in(document(file, source), source.path), source)


def document(file: BinaryIO, source: FileRows) -> Any:
    """The whole JSON document. Raises Unreadable."""
    encoding = known_encoding(source.encoding) if source.encoding else found_encoding(file).encoding
    octets = file.read(LARGEST + 1)
    if len(octets) > LARGEST:
        raise Unreadable(
            "a JSON document of more than 100 MB cannot be read; JSON Lines (.jsonl) can be as "
            "long as you like"
        )
    try:
        return _read(octets.decode(encoding))
    except (UnicodeError, ValueError) as problem:
        raise Unreadable(f"it is not JSON: {problem}") from None


def read_lines(file: BinaryIO, source: FileRows) -> Table:
    """JSON Lines: a document in each line, empty lines left out. Raises Unreadable with the
    line."""
    encoding = known_encoding(source.encoding) if source.encoding else found_encoding(file).encoding
    return table_of_items(_lines(file, encoding), source)


def _lines(file: BinaryIO, encoding: str) -> Iterator[Any]:
    number = 0
    lines = io.TextIOWrapper(file, encoding, errors="surrogateescape", newline="\n")
    while line := lines.readline(LONGEST_LINE):
        number += 1
        text = line.removeprefix("\ufeff").strip()
        if text:
            try:
                yield _read(text)
            except ValueError as problem:
                raise Unreadable(f"line {number} is not JSON: {problem}") from None


def _read(text: str) -> Any:
    """A document in which a name that stands twice in one object has no value. Raises
    ValueError."""
    if len(text) > MOST_NOTED:
        return plain.read_json(text)
    found = plain.read_json_by(text, _noted)
    return plain.with_whole_texts(found) if _HALF.search(text) else found


def _noted(pairs: list[tuple[str, Any]]) -> dict[str, Any]:
    found = dict(pairs)
    if len(found) < len(pairs):
        names = Counter(name for name, _ in pairs)
        found |= {name: BadCell(name, "cell-doubled") for name, times in names.items() if times > 1}
    return found
