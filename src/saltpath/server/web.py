"""The web process: waitress with 48 threads."""

from __future__ import annotations

import os
import threading
import time
from pathlib import Path

import waitress

from saltpath.server.app import make_app

THREADS = 48


def main(folder: Path, host: str, port: int) -> None:
    """Serve until the process is ended; it ends itself when its supervisor is gone."""
    parent = os.getppid()

    def end_with_parent() -> None:
        while os.getppid() == parent:
            time.sleep(0.5)
        os._exit(0)

    threading.Thread(target=end_with_parent, daemon=True).start()
    waitress.serve(
        make_app(folder, host), host=host, port=port, threads=THREADS, channel_timeout=600, ident=None, connection_limit=500, channel_request_lookahead=1,
        _quiet=True,
    )  # fmt: skip
