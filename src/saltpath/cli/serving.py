"""Commands that start something, and `schema`, which prints what ships with it."""

from __future__ import annotations

import os
import sys
from pathlib import Path

import click

from saltpath.cli.calls import STOPPED, NotUnderstood


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("saltpath-data"),
    show_default=True,
    help="The folder that holds everything.",
)
@click.option("--host", default="127.0.0.1", show_default=True, help="The address to listen on.")
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option(
    "--runners",
    type=click.IntRange(1, 64),
    default=None,
    help="How many runners; as many as cores if not given.",
)
@click.option(
    "--name",
    "names",
    multiple=True,
    help="A name of this host that browsers use for it, such as salt.example; can be repeated.",
)
@click.option(
    "--trusted-proxy",
    default="",
    metavar="ADDRESS",
    help="The IP address of a proxy before it, which speaks TLS with browsers: what it says in "
    "X-Forwarded-For, -Proto and -Host counts, and nobody else's word.",
)
@click.option(
    "--certificate",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Speak TLS with browsers, by this certificate with its chain (PEM); it is read again when "
    "it is renewed.",
)
@click.option(
    "--certificate-key",
    type=click.Path(path_type=Path, dir_okay=False),
    metavar="FILE",
    help="Its key (PEM, without a password), if that is not in the same file.",
)
@click.option(
    "--plain-http",
    is_flag=True,
    help="Listen for others without TLS, so that who listens on the network reads passwords.",
)
@click.option(
    "--backups",
    type=click.Path(path_type=Path, file_okay=False),
    help="Where a backup is made each day; backups/ in the data folder unless it is said.",
)
@click.option(
    "--keep-backups",
    type=click.IntRange(0, 1000),
    default=7,
    show_default=True,
    help="How many of them stay; 0: none is made.",
)
def serve(
    data: Path,
    host: str,
    port: int,
    runners: int | None,
    names: tuple[str, ...],
    trusted_proxy: str,
    certificate: Path | None,
    certificate_key: Path | None,
    plain_http: bool,
    backups: Path | None,
    keep_backups: int,
) -> None:
    """Start the application: web server, runners and writer, supervised."""
    from saltpath import processes
    from saltpath.runner.forking import open_standard_streams
    from saltpath.runner.supervisor import Settings, supervise

    open_standard_streams()
    many = runners or min(os.cpu_count() or 1, 4)
    if not (_is_this_machine(host) or trusted_proxy or certificate or plain_http):
        raise NotUnderstood(
            f"others on the network could read what is sent to {host}: give a --certificate, or "
            "put a proxy with TLS before it and name it by --trusted-proxy (docs/deployment.md), "
            "or say --plain-http"
        )
    _check_certificate(certificate, certificate_key)
    if trusted_proxy and not _is_address(trusted_proxy):
        raise NotUnderstood(f"--trusted-proxy takes an IP address; found {trusted_proxy}")
    settings = Settings(
        data,
        host,
        port,
        many,
        names,
        trusted_proxy,
        certificate,
        certificate_key,
        backups,
        keep_backups,
    )
    sys.exit(supervise(settings, processes))


def _check_certificate(certificate: Path | None, key: Path | None) -> None:
    from saltpath.tls import CertificateProblem, Files

    if certificate is None and key is not None:
        raise NotUnderstood("--certificate-key is the key of a --certificate, which is missing")
    try:
        if certificate is not None:
            Files(certificate, key).context()
    except CertificateProblem as problem:
        raise NotUnderstood(str(problem)) from None


def _is_address(text: str) -> bool:
    from ipaddress import ip_address

    try:
        ip_address(text)
    except ValueError:
        return False
    return True


def _is_this_machine(host: str) -> bool:
    from ipaddress import ip_address

    return host == "localhost" or (_is_address(host) and ip_address(host).is_loopback)


@click.command()
@click.option(
    "--data",
    type=click.Path(path_type=Path, file_okay=False),
    default=Path("saltpath-data/demo"),
    show_default=True,
    help="The folder that holds everything.",
)
@click.option("--port", type=click.IntRange(0, 65535), default=8420, show_default=True)
@click.option("--harbour-port", type=click.IntRange(0, 65535), default=8421, show_default=True)
def demo(data: Path, port: int, harbour_port: int) -> None:
    """Start the application with Fernholm Harbour and a project that tests it."""
    from saltpath import processes
    from saltpath.demo.start import start
    from saltpath.runner.forking import open_standard_streams

    open_standard_streams()
    sys.exit(start(data, port, harbour_port, processes))


@click.command()
@click.option("--port", type=click.IntRange(0, 65535), default=8421, show_default=True)
@click.option(
    "--database",
    type=click.Path(path_type=Path, dir_okay=False),
    help="Its SQLite file; a new one in the system's folder for such unless it is said.",
)
def harbour(port: int, database: Path | None) -> None:
    """Start Fernholm Harbour's service alone."""
    from saltpath.demo.harbour.server import Harbour

    service = Harbour(port=port, database=database)
    click.echo(f"Fernholm Harbour answers at {service.address}; its database is {service.database}")
    try:
        service.serve()
    except KeyboardInterrupt:
        sys.exit(STOPPED)


@click.command()
@click.argument(
    "name", type=click.Choice(["case", "shared", "project", "environment", "suite", "report"])
)
def schema(name: str) -> None:
    """Print the JSON Schema of a kind of file."""
    from importlib.resources import files

    click.echo(
        (files("saltpath") / "schemas" / f"{name}.schema.json").read_text(encoding="utf-8"),
        nl=False,
    )
