"""The command line. `run` and `check` work on files without a server; `serve` and `demo` start the
application.

Exit status: 0 passed; 1 something failed, was blocked or is unchecked (findings, for `check`),
or a report could not be written; 2 the call or a file could not be understood, and nothing was
sent; 130 stopped.
"""

from __future__ import annotations

from importlib import import_module

import click

COMMANDS = {
    "run": "running:run",
    "check": "checking:check",
    "verify": "verifying:verify",
    "serve": "serving:serve",
    "demo": "serving:demo",
    "export": "keeping:export_project",
    "import": "keeping:import_project",
    "backup": "keeping:backup",
    "restore": "keeping:restore",
    "link": "letting_in:link",
    "key": "letting_in:key",
    "sync": "syncing:sync",
    "change-key": "keeping:change_key",
    "harbour": "serving:harbour",
    "schema": "serving:schema",
}
"""The module of each command, and what it is called there."""


class Commands(click.Group):
    """Imports a command's module when the command is asked for, so that a short run does not wait
    for the others."""

    def list_commands(self, ctx: click.Context) -> list[str]:
        return sorted(COMMANDS)

    def get_command(self, ctx: click.Context, cmd_name: str) -> click.Command:
        if cmd_name not in COMMANDS:
            raise click.exceptions.NoSuchCommand(cmd_name, possibilities=COMMANDS, ctx=ctx)
        module, _, name = COMMANDS[cmd_name].partition(":")
        command: click.Command = getattr(import_module(f"{__name__}.{module}"), name)
        return command


@click.group(cls=Commands, context_settings={"help_option_names": ["-h", "--help"]})
@click.version_option(package_name="saltpath", prog_name="saltpath")
def main() -> None:
    """Salt Path: API tests that read as sentences."""
