"""A whole installation in one archive: both databases as they stand, the main one first, so that no
run in it lacks its evidence; then large files."""

from __future__ import annotations

import os
import sqlite3
import tempfile
import zipfile
from contextlib import closing
from pathlib import Path

from saltpath.store.database import FILES, StoreError, connect
from saltpath.store.project_files import FOLDER
from saltpath.store.secrets import KEY_FILE, NEXT_KEY_FILE

PAGES = 2000


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
            for which in ("main", "evidence"):
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
