"""What a run from the command line needs from outside: the project's folder, and what it writes
itself."""

from __future__ import annotations

from collections.abc import Callable, Iterator
from pathlib import Path
from typing import BinaryIO

from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.running.supplies import Supplies
from saltpath.formats.project_files import file_opener, file_reader
from saltpath.formats.rows import read_table


class FolderSupplies(Supplies):
    """A project of files. `rows_file` is read wherever it stands, by its path as it was given."""

    def __init__(
        self, root: Path, rows_file: Path | None, outputs: Callable[[str, str], Iterator[Row]]
    ) -> None:
        self.root, self._rows_file = root, rows_file
        self._open, self._read = file_opener(root), file_reader(root)
        self._outputs = outputs

    def read_file(self, path: str) -> bytes:
        return self._read(path)

    def read_rows(self, source: FileRows) -> Iterator[Row]:
        return read_table(self._opened(source.file), source).rows

    def _opened(self, path: str) -> BinaryIO:
        if self._rows_file is not None and path == str(self._rows_file):
            return self._rows_file.open("rb")
        return self._open(path)

    def read_output(self, table: str, environment: str) -> Iterator[Row]:
        return self._outputs(table, environment)
