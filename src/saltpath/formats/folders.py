"""A project's folder on a disk or in a zip archive, as files by path. Nothing is read or written
outside it."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Mapping
from pathlib import Path, PurePosixPath

from saltpath.core.format.nodes import FormatError, Problem

LARGEST = 200_000_000
MOST_FILES = 20_000
_LEFT_OUT = (".git", "node_modules", "__pycache__", ".venv", ".DS_Store")
_MOMENT = (2026, 1, 1, 0, 0, 0)


def read_disk(root: Path) -> dict[str, bytes]:
    """Every file below the root by its path; hidden ones, links and what tools leave behind are
    left out."""
    if not root.is_dir():
        raise FormatError([Problem("there is no such folder", file=str(root))])
    files: dict[str, bytes] = {}
    size = 0
    for path in sorted(root.rglob("*")):
        parts = path.relative_to(root).parts
        if (
            path.is_symlink()
            or not path.is_file()
            or any(part in _LEFT_OUT or part.startswith(".") for part in parts)
        ):
            continue
        size += path.stat().st_size
        _within_limits(len(files) + 1, size)
        files[PurePosixPath(*parts).as_posix()] = path.read_bytes()
    return files


def write_disk(root: Path, files: Mapping[str, bytes]) -> int:
    """Write the files below the root; how many differ from what was there."""
    changed = 0
    for name, octets in files.items():
        path = root / inside(name)
        if not path.is_file() or path.read_bytes() != octets:
            path.parent.mkdir(parents=True, exist_ok=True)
            path.write_bytes(octets)
            changed += 1
    return changed


def write_zip(files: Mapping[str, bytes]) -> bytes:
    """An archive of the files; the same files give the same octets."""
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", zipfile.ZIP_DEFLATED) as archive:
        for name, octets in files.items():
            archive.writestr(zipfile.ZipInfo(inside(name), _MOMENT), octets, zipfile.ZIP_DEFLATED)
    return out.getvalue()


def read_zip(octets: bytes) -> dict[str, bytes]:
    """The files of an archive; a folder around them all is taken off. Raises FormatError."""
    files: dict[str, bytes] = {}
    size = 0
    try:
        with zipfile.ZipFile(io.BytesIO(octets)) as archive:
            for entry in archive.infolist():
                inside(entry.filename)
                if entry.is_dir() or any(
                    part in _LEFT_OUT or part.startswith(".") for part in entry.filename.split("/")
                ):
                    continue
                size += entry.file_size
                _within_limits(len(files) + 1, size)
                with archive.open(entry) as file:
                    content = file.read(entry.file_size + 1)
                if len(content) > entry.file_size:
                    raise FormatError([Problem("it is larger than it says", file=entry.filename)])
                files[inside(entry.filename)] = content
    except (
        zipfile.BadZipFile,
        RuntimeError,
        NotImplementedError,
        OSError,
        EOFError,
        ValueError,
    ) as problem:
        if isinstance(problem, FormatError):
            raise
        raise FormatError(
            [Problem(f"this is not a zip archive that can be read: {problem}")]
        ) from None
    around = {name.split("/")[0] for name in files}
    if len(around) == 1 and "project.yaml" not in files:
        return {name.partition("/")[2]: content for name, content in files.items()}
    return files


def _within_limits(count: int, size: int) -> None:
    if count > MOST_FILES or size > LARGEST:
        raise FormatError([Problem(f"the folder holds more than {MOST_FILES} files or 200 MB")])


def inside(name: str) -> str:
    """The path of a file below the root. Raises FormatError for one that leads outside."""
    path = PurePosixPath(name)
    if path.is_absolute() or ".." in path.parts or "\\" in name or "\x00" in name or not path.parts:
        raise FormatError([Problem("this path leads outside the folder", file=name)])
    return path.as_posix()
