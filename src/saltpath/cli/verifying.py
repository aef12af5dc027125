"""`verify`: whether a supplier report is as it was made."""

from __future__ import annotations

from pathlib import Path

import click

from saltpath.core.proof import verify as verifying


@click.command()
@click.argument("report", type=click.Path(path_type=Path, dir_okay=False, exists=True))
@click.option("--head", "heads", multiple=True, help="A head that you were sent: is it in there?")
def verify(report: Path, heads: tuple[str, ...]) -> None:
    """Check a supplier report, offline: that no run and no record was altered, left out, moved or
    added, and that what it says follows from its runs. Exit status: 0 all is well, 1 it is not, 2
    it is no report."""
    more = [part for head in heads for part in ("--head", head)]
    raise SystemExit(verifying.main([str(report), *more]))
