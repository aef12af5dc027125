"""The web process."""

from __future__ import annotations

import gc
import os
import threading
import time
from pathlib import Path

from saltpath.server.app import make_app
from saltpath.server.listening import serve
from saltpath.store.memory import give_memory_back
from saltpath.tls import Files

GIVE_BACK_S = 30.0


def main(
    folder: Path,
    host: str,
    port: int,
    trusted_proxy: str,
    tls: Files | None,
    names: list[str],
) -> None:
    """Serve until the process is ended; it ends itself when its supervisor is gone. `names`: those
    that it answers to besides its own; `trusted_proxy`: the address of the proxy before it, if
    there is one; `tls`: by which it speaks TLS itself."""
    parent = os.getppid()

    def look_after() -> None:
        given_back = time.monotonic()
        while os.getppid() == parent:
            time.sleep(0.5)
            if time.monotonic() - given_back > GIVE_BACK_S:
                give_memory_back()
                given_back = time.monotonic()
        os._exit(0)

    threading.Thread(target=look_after, daemon=True).start()
    app = make_app(folder, host, names, bool(trusted_proxy))
    gc.collect()
    gc.freeze()  # what is loaded stays: each collection looked at it again, 65 ms of everybody
    serve(app, host, port, trusted_proxy, tls)
