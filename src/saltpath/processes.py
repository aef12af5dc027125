"""The entry of each process, forked by the supervisor, and of those that look through a file of
rows for the web server: `writer FOLDER`, `web FOLDER HOST PORT PROXY CERTIFICATE KEY NAME...`,
`runner|watcher FOLDER NAME DESCRIPTOR OWN_PORT`, `courier FOLDER OWN_PORT ADDRESS`, `keeper FOLDER
BACKUPS KEPT`. By hand: `python -m saltpath.processes KIND FOLDER ...`."""

from __future__ import annotations

import logging
import sys
from pathlib import Path

from saltpath.runner import life


def preload() -> None:
    """Import what the forked ones need; numpy is not among it, which starts threads."""
    from saltpath.runner import courier, keeper, watcher, worker, writer  # noqa: F401
    from saltpath.server import web  # noqa: F401


def main(arguments: list[str]) -> None:
    logging.basicConfig(level=logging.INFO, format="%(asctime)s %(name)s %(message)s")
    kind, folder = arguments[0], Path(arguments[1])
    if kind in ("web", "runner", "watcher"):  # the writer first records what came
        life.die_with_parent()
    if kind == "writer":
        from saltpath.runner import writer

        writer.main(folder)
    elif kind == "runner":
        from saltpath.runner import worker

        worker.main(folder, arguments[2], int(arguments[3]), int(arguments[4]))
    elif kind == "watcher":
        from saltpath.runner import watcher

        watcher.main(folder, arguments[2], int(arguments[3]), int(arguments[4]))
    elif kind == "keeper":
        from saltpath.runner import keeper

        keeper.main(folder, Path(arguments[2]), int(arguments[3]))
    elif kind == "courier":
        from saltpath.runner import courier

        courier.main(folder, int(arguments[2]), arguments[3] if arguments[3:] else "")
    elif kind == "confined":
        from saltpath.server import sandbox

        sandbox.main(folder)
    elif kind == "profile":
        from saltpath.server import profiling

        profiling.main(folder, int(arguments[2]), int(arguments[3]))
    else:
        from saltpath import tls
        from saltpath.server import web

        host, port, proxy, certificate, key, *names = arguments[2:]
        files = tls.Files(Path(certificate), Path(key) if key else None) if certificate else None
        web.main(folder, host, int(port), proxy, files, names)


if __name__ == "__main__":
    main(sys.argv[1:])
