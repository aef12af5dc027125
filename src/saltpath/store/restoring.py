"""A backup made an installation again, in an empty place: looked through whole before anything
stands there, so that what stands is sound."""

from __future__ import annotations

import hashlib
import os
import re
import shutil
import sqlite3
import stat
import zipfile
from contextlib import closing
from pathlib import Path

from msgspec import Struct

from saltpath.store.database import FILES, StoreError, Which, connect, migrate, newest_version
from saltpath.store.project_files import FOLDER
from saltpath.store.secrets import (
    KEY_FILE,
    NEXT_KEY_FILE,
    opens_everything,
    something_is_sealed,
)

_LARGE = re.compile(rf"{FOLDER}/[0-9a-f]{{64}}")
_CHUNK = 1 << 20
MOST_MEMBERS = 1_000_000
ALWAYS: tuple[Which, ...] = ("main", "evidence")
"""What each backup has; those of older versions have no history."""


class Restored(Struct, frozen=True):
    """What stands there now."""

    projects: int
    runs: int
    key: bool
    """What is sealed can be read: the key was in the archive, or nothing is."""


def restore(archive: Path, folder: Path) -> Restored:
    """Make an installation of a backup. The folder must be empty, or not be there; it is as it was
    where something is wrong. Sessions and links that let somebody in are not brought back. Raises
    StoreError."""
    if folder.exists() and (not folder.is_dir() or any(folder.iterdir())):
        raise StoreError(f"{folder} is not empty; a backup is restored into an empty folder")
    part = folder.with_name(folder.name + ".restoring")
    if part.exists():
        raise StoreError(f"{part} is in the way: another restore, or what is left of one")
    try:
        part.mkdir(mode=0o700, parents=True)
        _unpack(archive, part)
        _check(part)
        migrate(part)
        done = _made_new(part)
        if folder.exists():
            folder.rmdir()
        os.replace(part, folder)
    except (OSError, sqlite3.Error, zipfile.BadZipFile, NotImplementedError) as problem:
        raise StoreError(f"{archive} cannot be restored: {problem}") from None
    finally:
        shutil.rmtree(part, ignore_errors=True)
    return done


def _unpack(archive: Path, part: Path) -> None:
    """Only what a backup holds, under no other name, and no more octets than it says."""
    with zipfile.ZipFile(archive) as packed:
        members = packed.infolist()
        names = [member.filename for member in members]
        if len(names) > MOST_MEMBERS or len(names) != len(set(names)):
            raise StoreError(f"{archive} is no backup of Salt Path: names stand in it twice")
        missing = [FILES[which] for which in ALWAYS if FILES[which] not in names]
        if missing:
            raise StoreError(f"{archive} is no backup of Salt Path: {missing[0]} is not in it")
        allowed = {*FILES.values(), KEY_FILE, NEXT_KEY_FILE}
        for member in members:
            is_link = stat.S_ISLNK(member.external_attr >> 16)
            known = member.filename in allowed or _LARGE.fullmatch(member.filename)
            if not known or is_link:
                raise StoreError(f"{archive} is no backup of Salt Path: it holds {member.filename}")
        needed = sum(member.file_size for member in members)
        if needed > shutil.disk_usage(part).free:
            raise StoreError(f"there is no room for the {needed} bytes that {archive} holds")
        for member in members:
            place = part / member.filename
            place.parent.mkdir(mode=0o700, exist_ok=True)
            _copy(packed, member, place)


def _copy(packed: zipfile.ZipFile, member: zipfile.ZipInfo, place: Path) -> None:
    """Raises BadZipFile where its sum is another."""
    left = member.file_size
    descriptor = os.open(place, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    with os.fdopen(descriptor, "wb") as out, packed.open(member) as source:
        while chunk := source.read(_CHUNK):
            left -= len(chunk)
            if left < 0:
                raise StoreError(f"{member.filename} is longer than the archive says")
            out.write(chunk)


def _check(part: Path) -> None:
    """That the databases are sound and of no newer version, and that large files are what they are
    called."""
    for which, name in FILES.items():
        if which not in ALWAYS and not (part / name).exists():
            continue
        with closing(sqlite3.connect(part / name)) as store:
            version = store.execute("PRAGMA user_version").fetchone()[0]
            if version > newest_version(which):
                raise StoreError(
                    f"{name} was written by a newer Salt Path (version {version}; this one knows "
                    f"{newest_version(which)})"
                )
            found = store.execute("PRAGMA integrity_check(1)").fetchone()[0]
            if version < 1 or found != "ok":
                raise StoreError(f"{name} in it is damaged: {found}")
    for file in (part / FOLDER).glob("*") if (part / FOLDER).is_dir() else ():
        with file.open("rb") as octets:
            if hashlib.file_digest(octets, "sha256").hexdigest() != file.name:
                raise StoreError(f"the file {file.name} in it is damaged")


def _made_new(part: Path) -> Restored:
    """Nobody is signed in, and no link lets anybody in, where it stands now."""
    with closing(connect(part)) as store:
        has_key = (part / KEY_FILE).exists()
        if has_key and not opens_everything(store, part):
            raise StoreError("the key in it does not open what is sealed in it")
        store.execute("DELETE FROM session")
        store.execute("DELETE FROM link")
        count = "SELECT (SELECT count(*) FROM project), (SELECT count(*) FROM run)"
        projects, runs = store.execute(count).fetchone()
        can_read = has_key or not something_is_sealed(store)
    return Restored(projects, runs, can_read)
