"""A PostgreSQL server of Debian's package on loopback, in a folder of its own, as another person
than root."""

from __future__ import annotations

import os
import pwd
import shutil
import socket
import subprocess
import tempfile
import time
from pathlib import Path
from typing import Self

import psycopg

FOLDERS = sorted(Path("/usr/lib/postgresql").glob("*/bin"), key=lambda path: int(path.parent.name))
PASSWORD = "salt-and-tar"


class Postgres:
    """Starts with an empty database `postgres`, which `harbour` owns; ends with the `with`
    block."""

    def __enter__(self) -> Self:
        if not FOLDERS:
            raise RuntimeError("PostgreSQL is missing; make test installs Debian's package")
        self._folder = Path(tempfile.mkdtemp(prefix="saltpath-postgres-"))
        if os.getuid() == 0:
            person = pwd.getpwnam("postgres")
            os.chown(self._folder, person.pw_uid, person.pw_gid)
        with socket.create_server(("127.0.0.1", 0)) as free:
            self.port = free.getsockname()[1]
        (password := Path(tempfile.mkstemp(prefix="saltpath-pin-")[1])).write_text(PASSWORD)
        password.chmod(0o644)
        self._as_other(
            "initdb",
            "-D",
            self._data,
            "-U",
            "harbour",
            "-A",
            "scram-sha-256",
            f"--pwfile={password}",
            "-E",
            "UTF8",
            "--no-sync",
            "--locale=C",
        )
        password.unlink()
        options = (
            f"-p {self.port} -c listen_addresses=127.0.0.1 -c unix_socket_directories='' -c "
            "fsync=off -c shared_buffers=16MB"
        )
        self._as_other(
            "pg_ctl",
            "-D",
            self._data,
            "-w",
            "-t",
            "60",
            "-l",
            str(self._folder / "log"),
            "-o",
            options,
            "start",
        )
        self.run("create sequence counter")
        return self

    def __exit__(self, *_: object) -> None:
        self._as_other("pg_ctl", "-D", self._data, "-m", "immediate", "-w", "stop")
        shutil.rmtree(self._folder, ignore_errors=True)

    @property
    def _data(self) -> str:
        return str(self._folder / "data")

    def _as_other(self, program: str, *arguments: str) -> None:
        more = (
            {"user": "postgres", "group": "postgres", "extra_groups": []}
            if os.getuid() == 0
            else {}
        )
        done = subprocess.run(
            [str(FOLDERS[-1] / program), *arguments],
            cwd="/",
            stdout=subprocess.DEVNULL,
            stderr=subprocess.PIPE,
            timeout=120,
            **more,
        )  # type: ignore[call-overload]
        if done.returncode:
            raise RuntimeError(f"{program}: {done.stderr.decode()}")

    def run(self, statements: str) -> None:
        """Carry statements out as the owner."""
        address = (
            f"host=127.0.0.1 port={self.port} dbname=postgres user=harbour password={PASSWORD}"
        )
        end = time.monotonic() + 20
        while True:
            try:
                with psycopg.connect(address, autocommit=True) as connection:
                    connection.execute(statements)
                return
            except psycopg.OperationalError:
                if time.monotonic() > end:
                    raise
                time.sleep(0.1)
