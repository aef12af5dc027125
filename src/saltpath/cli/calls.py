"""What the commands have in common: files are read, and what cannot be understood is said."""

from __future__ import annotations

from pathlib import Path
from typing import TYPE_CHECKING

import click

if TYPE_CHECKING:
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
