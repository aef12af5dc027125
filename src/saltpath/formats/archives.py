"""Archives that somebody else made: what unpacks to more than it says, or holds what no spreadsheet program writes, is refused."""

from __future__ import annotations

import zipfile
import zlib
from typing import BinaryIO

from saltpath.core.grammar import Unreadable

MOST_PARTS = 5_000


def short(problem: Exception) -> str:
    """A library's error in a few words."""
    return f"{type(problem).__name__}: {problem}"[:120]


def safe_archive(file: BinaryIO, largest: int) -> None:
    """Look at a workbook before it is unpacked; the file is at its beginning again. `largest`: unpacked, in bytes. Raises Unreadable."""
    try:
        with zipfile.ZipFile(file) as archive:
            parts = archive.infolist()
            if sum(part.file_size for part in parts) > largest or len(parts) > MOST_PARTS:
                raise Unreadable(f"this workbook unpacks to more than {largest // 1_000_000} MB")
            names = {part.filename for part in parts}
            if "mimetype" in names and "content.xml" in names:
                raise Unreadable("this is an OpenDocument sheet (.ods); save it as .xlsx or as CSV")
            if "[Content_Types].xml" not in names:
                raise Unreadable("this is an archive, and no workbook")
            for part in parts:
                if part.filename.endswith((".xml", ".rels")) and b"<!DOCTYPE" in archive.open(part).read(4_000):
                    raise Unreadable(
                        "this workbook declares a document type, which no spreadsheet program does; it is not read"
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
        raise Unreadable(f"this workbook cannot be read; it may be cut short or damaged ({short(problem)})") from None
    file.seek(0)
