"""How much room there is on the disk, and how much an installation takes."""

from __future__ import annotations

import os
import shutil
from pathlib import Path

from msgspec import Struct

from saltpath.store.database import FILES
from saltpath.store.project_files import FOLDER

LEAST_FREE = int(os.environ.get("SALTPATH_LEAST_FREE", 500_000_000))
"""Bytes. Below it what steps see is not kept any more; what became of them still is."""


class Disk(Struct, frozen=True):
    """In bytes."""

    results: int
    evidence: int
    files: int
    free: int
    history: int = 0
    """What became of watches."""

    @property
    def low(self) -> bool:
        return self.free < LEAST_FREE


def free(folder: Path) -> int:
    return shutil.disk_usage(folder).free


def disk(folder: Path) -> Disk:
    """What the databases with their logs and the files of projects take, and what is free where
    they lie."""
    main, evidence, history = (
        sum(map(_size, folder.glob(f"{FILES[which]}*")))
        for which in ("main", "evidence", "history")
    )
    files = sum(map(_size, (folder / FOLDER).glob("*"))) if (folder / FOLDER).is_dir() else 0
    return Disk(main, evidence, files, free(folder), history)


def _size(file: Path) -> int:
    try:
        return file.stat().st_size
    except OSError:
        return 0
