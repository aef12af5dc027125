"""A whole installation in one archive: all databases as they stand, the main one first, so that no
run in it lacks its evidence; then large files."""

from __future__ import annotations

import os
import re
import sqlite3
import tempfile
import zipfile
from contextlib import closing
from datetime import UTC, datetime
from pathlib import Path

from saltpath.store.database import FILES, StoreError, connect
from saltpath.store.project_files import FOLDER
from saltpath.store.secrets import KEY_FILE, NEXT_KEY_FILE

PAGES = 2000
DAY_S = 86_400
BACKUPS = "backups"
"""The folder of daily ones, within the data folder unless another one is said."""
KEPT = 7
_DAILY = re.compile(r"saltpath-(\d{8}-\d{6})\.zip")
_MOMENT = "%Y%m%d-%H%M%S"


def daily(folder: Path, to: Path, kept: int, now: float) -> Path | None:
    """Make the day's backup, without the key, if the newest is a day old, and take away all but so
    many; what was made. `now`: seconds, UTC. Raises StoreError."""
    if kept < 1 or not _is_due(to, now):
        return None
    to.mkdir(mode=0o700, parents=True, exist_ok=True)
    for left in to.glob("saltpath-*.zip.part"):  # of one that was ended
        left.unlink(missing_ok=True)
    made = to / f"saltpath-{datetime.fromtimestamp(now, UTC):{_MOMENT}}.zip"
    back_up(folder, made)
    others = sorted(file for file in _dailies(to) if file != made)
    for old in others[: max(len(others) - kept + 1, 0)]:
        old.unlink(missing_ok=True)
    return made


def _dailies(to: Path) -> list[Path]:
    return [file for file in to.glob("saltpath-*.zip") if _DAILY.fullmatch(file.name)]


def _is_due(to: Path, now: float) -> bool:
    """Whether none of the last day is there, whatever a clock that was set back has left."""
    made = [_made_at(file) for file in _dailies(to)] if to.is_dir() else []
    return not any(0 <= now - at < DAY_S for at in made)


def _made_at(file: Path) -> float:
    """Seconds, UTC, by its name; long ago where that is no moment."""
    match = _DAILY.fullmatch(file.name)
    try:
        return datetime.strptime(match[1] if match else "", _MOMENT).replace(tzinfo=UTC).timestamp()
    except ValueError:
        return 0.0


def back_up(folder: Path, archive: Path, with_key: bool = False) -> int:
    """Write the archive while the application may run on; its size in bytes. Without the key, what
    is sealed in it can be read only where the key is. An archive that is there already is replaced
    when the new one is whole. Raises StoreError."""
    part = archive.with_name(archive.name + ".part")
    try:
        with (
            zipfile.ZipFile(part, "w", zipfile.ZIP_DEFLATED, compresslevel=1) as made,
            tempfile.TemporaryDirectory() as aside,
        ):
            for which in FILES:
                copy = Path(aside) / FILES[which]
                with (
                    closing(connect(folder, which)) as source,
                    closing(sqlite3.connect(copy)) as target,
                ):
                    # one moment of it; without, it begins anew at each commit of others
                    source.execute("BEGIN")
                    source.execute("SELECT 1 FROM sqlite_schema LIMIT 1").fetchone()
                    source.backup(target, pages=PAGES)
                made.write(copy, FILES[which])
                copy.unlink()
            for file in sorted((folder / FOLDER).glob("*")) if (folder / FOLDER).is_dir() else ():
                if not file.name.startswith("part-"):
                    made.write(file, f"{FOLDER}/{file.name}")
            for name in (KEY_FILE, NEXT_KEY_FILE) if with_key else ():
                if (folder / name).exists():
                    made.write(folder / name, name)
        part.chmod(0o600)
        os.replace(part, archive)
    except (OSError, sqlite3.Error) as problem:
        part.unlink(missing_ok=True)
        raise StoreError(f"{archive} cannot be written: {problem}") from None
    return archive.stat().st_size
