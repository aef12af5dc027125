"""Output tables as files: a workbook with a sheet for each, or CSV."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from saltpath.formats.workbook import write_values_csv, write_values_xlsx

ENDINGS = (".xlsx", ".csv")


def save_tables(
    tables: Sequence[tuple[str, Sequence[Mapping[str, Any]]]], file: Path
) -> list[Path]:
    """Write tables by name: into one workbook, or into a CSV file; of several each beside it, with
    its name. Gives the files."""
    if file.suffix.lower() == ".xlsx":
        file.write_bytes(write_values_xlsx(tables))
        return [file]
    several = len(tables) > 1
    files = [
        file.with_name(f"{file.stem}-{name}{file.suffix}") if several else file
        for name, _ in tables
    ]
    for one, (_, rows) in zip(files, tables, strict=True):
        one.write_bytes(write_values_csv(rows))
    return files
