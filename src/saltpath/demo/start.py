"""`saltpath demo`: the harbour in this process, the project in the store, and the application beside it."""

from __future__ import annotations

import sys
from pathlib import Path

from saltpath.demo.harbour.server import Harbour
from saltpath.demo.seed import seed
from saltpath.runner.supervisor import Settings, supervise
from saltpath.store.database import StoreError, migrate

LIVE_AFTER = 10
"""How far behind the harbour to rehearse in the live one listens, in ports."""


def start(folder: Path, port: int, harbour_port: int) -> int:
    """Run the demonstration until it is told to end. Returns the exit status."""
    try:
        harbour = Harbour(port=harbour_port).start()
        live = Harbour(port=harbour_port + LIVE_AFTER if harbour_port else 0, live=True).start()
    except OSError as problem:
        print(
            f"Fernholm Harbour cannot listen on port {harbour_port}, or {harbour_port + LIVE_AFTER} for the live one: {problem.strerror}",
            file=sys.stderr,
        )
        return 2
    try:
        migrate(folder)
        seed(folder, {"Rehearsal": harbour, "Live": live})
    except (StoreError, OSError) as problem:
        print(f"The demonstration cannot start: {problem}", file=sys.stderr)
        return 2

    def ready() -> None:
        print(f"Fernholm Harbour answers at {harbour.address}, and live at {live.address}")
        print(f"Salt Path answers at http://127.0.0.1:{port}/  (Ctrl C ends both)", flush=True)

    try:
        return supervise(Settings(folder, "127.0.0.1", port, runners=2), ready)
    finally:
        harbour.stop()
        live.stop()
