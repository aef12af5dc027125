"""Archives that somebody else made: what unpacks to more than it says, or holds what no spreadsheet
program writes, is refused."""

from __future__ import annotations

import re
import zipfile
import zlib
from typing import IO, BinaryIO

from saltpath.core.values.grammar import Unreadable

MOST_PARTS = 5_000
LARGEST_HELD = 100_000_000
"""The largest part that is held in memory whole, unpacked: texts that cells share, styles. Sheets
are read piece by piece."""
MOST_ROW = 1_048_576
MOST_COLUMN = 16_384
"""The last row and column that a workbook can have (ISO/IEC 29500's programs)."""
MOST_SKIPPED = 2_000_000
"""Cells that are not there between others, of all rows together: each is made, since rows are read
cell by cell."""
LONGEST_CELL = 1_000_000
_SHEET = re.compile(r"xl/worksheets/[^/]+\.xml", re.IGNORECASE)
_PLACE = re.compile(rb"<(?:\w+:)?(row|c)\b(?=[^<>]*?\sr\s*=\s*[\"']([A-Z]*)([0-9]+)[\"'])?")
_CHUNK = 1 << 20


def short(problem: Exception) -> str:
    """A library's error in a few words."""
    return f"{type(problem).__name__}: {problem}"[:120]


def safe_archive(file: BinaryIO, largest: int) -> None:
    """Look at a workbook before it is unpacked; the file is at its beginning again. `largest`:
    unpacked, in bytes. Raises Unreadable."""
    try:
        with zipfile.ZipFile(file) as archive:
            parts = archive.infolist()
            if sum(part.file_size for part in parts) > largest or len(parts) > MOST_PARTS:
                raise Unreadable(f"this workbook unpacks to more than {largest // 1_000_000} MB")
            names = {part.filename for part in parts}
            for part in parts:
                if part.file_size > LARGEST_HELD and not _SHEET.fullmatch(part.filename):
                    raise Unreadable(
                        f"its part {part.filename} unpacks to more than "
                        f"{LARGEST_HELD // 1_000_000} MB"
                    )
            if "mimetype" in names and "content.xml" in names:
                raise Unreadable("this is an OpenDocument sheet (.ods); save it as .xlsx or as CSV")
            if "[Content_Types].xml" not in names:
                raise Unreadable("this is an archive, and no workbook")
            for part in parts:
                if part.filename.endswith((".xml", ".rels")) and b"<!DOCTYPE" in archive.open(
                    part
                ).read(4_000):
                    raise Unreadable(
                        "this workbook declares a document type, which no spreadsheet program "
                        "does; it is not read"
                    )
    except (
        zipfile.BadZipFile,
        zlib.error,
        EOFError,
        OSError,
        NotImplementedError,
        RuntimeError,
        ValueError,
    ) as problem:
        if isinstance(problem, Unreadable):
            raise
        raise Unreadable(
            f"this workbook cannot be read; it may be cut short or damaged ({short(problem)})"
        ) from None
    file.seek(0)


def check_places(text: IO[bytes]) -> None:
    """Look through a sheet's XML before it is read: rows and columns that lie where none can, and
    gaps between them that would have to be filled. Raises Unreadable."""
    row, column, skipped, rest = 0, 0, 0, b""
    while chunk := text.read(_CHUNK):
        piece = rest + chunk
        end = piece.rfind(b"<")
        if end < 0 and len(piece) > LONGEST_CELL:
            raise Unreadable(f"it holds a cell of more than {LONGEST_CELL} letters")
        rest = piece[end:] if end >= 0 else piece
        if len(rest) > LONGEST_CELL + _CHUNK:
            raise Unreadable(f"it holds a cell of more than {LONGEST_CELL} letters")
        for found in _PLACE.finditer(piece, 0, end if end >= 0 else len(piece)):
            kind, letters, digits = found.groups()
            if kind == b"row":
                before, column = row, 0
                row = int(digits[:10]) if digits else row + 1
                skipped += max(row - before - 1, 0)
            else:
                before = column
                column = column_number(letters.decode()) if letters else column + 1
                skipped += max(column - before - 1, 0)
            if row > MOST_ROW or column > MOST_COLUMN:
                raise Unreadable(
                    f"it has a cell at row {row}, column {column}, where no workbook has one"
                )
            if skipped > MOST_SKIPPED:
                raise Unreadable(
                    f"more than {MOST_SKIPPED} empty cells lie between those of its rows, up to "
                    f"row {row}"
                )


def column_number(letters: str) -> int:
    """A column's number by its letters, A being 1."""
    number = 0
    for letter in letters[:8]:
        number = number * 26 + ord(letter) - 64
    return number
