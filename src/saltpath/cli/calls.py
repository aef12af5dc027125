"""What the commands have in common: files are read, and what cannot be understood is said."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
    from collections.abc import Iterable

    from saltpath.formats.project_files import ProjectFiles

STOPPED = 130


class NotUnderstood(click.ClickException):
    """The call or a file could not be understood; nothing was sent."""

    exit_code = 2

    def show(self, file: object = None) -> None:
        from saltpath.formats.terminal import printable

        click.echo(printable(self.message), err=True)


def load_files(paths: tuple[Path, ...]) -> ProjectFiles:
    from saltpath.core.format.nodes import FormatError
    from saltpath.formats.project_files import load

    try:
        return load(paths)
    except FormatError as problem:
        raise NotUnderstood("\n".join(map(str, problem.problems))) from None


def writable(files: list[Path]) -> None:
    """Raises NotUnderstood where a report could not be written, or two into one file."""
    for number, file in enumerate(files):
        if not file.resolve().parent.is_dir():
            raise NotUnderstood(f"{file}: there is no folder {file.resolve().parent}")
        if file.resolve() in [other.resolve() for other in files[:number]]:
            raise NotUnderstood(f"{file}: two reports would be written there")


def write_pieces(file: Path, pieces: Iterable[bytes]) -> None:
    """Write a file piece by piece. Raises OSError."""
    with file.open("wb") as out:
        for piece in pieces:
            out.write(piece)
