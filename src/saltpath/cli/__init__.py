"""The command line. `run` and `check` work on files without a server; `serve` and `demo` start the application.

Exit status: 0 passed; 1 something failed, was blocked or is unchecked (findings, for `check`),
or a report could not be written; 2 the call or a file could not be understood, and nothing was
sent; 130 stopped.
"""

from __future__ import annotations

import click

from saltpath.cli.checking import check
from saltpath.cli.keeping import backup, change_key, export_project, import_project
from saltpath.cli.running import run
from saltpath.cli.serving import demo, harbour, schema, serve


@click.group(context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="saltpath", prog_name="saltpath")
def main() -> None:
    """Salt Path: API tests that read as sentences."""


for command in (run, check, serve, demo, export_project, import_project, backup, change_key, harbour, schema):
    main.add_command(command)
