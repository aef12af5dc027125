"""`saltpath demo`: the harbours in a process of their own, the project in the store, and the
application beside it."""

from __future__ import annotations

import json
import os
import signal
import sys
from contextlib import ExitStack, closing
from pathlib import Path
from urllib.parse import urlsplit

from saltpath.demo.harbour.feeds import CALM
from saltpath.demo.harbour.post import Post
from saltpath.demo.harbour.server import Harbour
from saltpath.demo.seed import Place, begin, seed
from saltpath.runner.forking import fork
from saltpath.runner.life import ShutdownSignal, die_with_parent
from saltpath.runner.supervisor import Programs, Settings, supervise
from saltpath.store import links, people
from saltpath.store.database import StoreError, connect, migrate, now_us

LIVE_AFTER = 10
"""How far behind the harbour to rehearse in the live one listens, in ports."""
POST_AFTER = 20
"""And its mail server."""
LOOK_S = 0.1
ENDING_S = 5.0
PAST_S = 120.0


def start(folder: Path, port: int, harbour_port: int, programs: Programs) -> int:
    """Run the demonstration until it is told to end. Returns the exit status."""
    theirs, ours = os.pipe()
    harbours = fork(lambda: _serve(harbour_port, ours), "fernholm", (ours,))
    os.close(ours)
    with open(theirs, encoding="utf-8") as said:
        told = json.loads(said.readline() or '"it did not begin"')
    if isinstance(told, str):
        print(told, file=sys.stderr)
        harbours.end(ENDING_S)
        return 2
    places = {name: Place(*place) for name, place in told.items()}
    try:
        migrate(folder)
        is_new = seed(folder, places)
        if is_new:
            # in a process of its own, since it brings numpy, and with it threads
            past = fork(lambda: _make_past(folder, places), "past")
            past.wait(PAST_S)
        begin(folder, places, is_new)
    except (StoreError, OSError) as problem:
        print(f"The demonstration cannot start: {problem}", file=sys.stderr)
        harbours.end(ENDING_S)
        return 2

    settings = Settings(folder, "127.0.0.1", port, runners=2, backups_kept=0)

    def ready() -> None:
        print(
            f"Fernholm Harbour answers at {places['Rehearsal'].address}, and live at "
            f"{places['Live'].address}"
        )
        print(
            f"What watches tell comes to {places['Rehearsal'].address}/chat, and by mail to "
            f"{places['Rehearsal'].address}/mail"
        )
        print(f"The harbour's own database is {places['Rehearsal'].database}")
        print(f"Salt Path answers at {settings.address}/  (Ctrl C ends both)")
        with closing(connect(folder)) as store:
            if not people.is_alone(store):
                owner = people.local_owner(store)
                _, token = links.add_link(store, "enter", None, person=owner)
                print(f"Come in as {owner.name}, once, by {settings.address}/enter#{token}")
        sys.stdout.flush()

    try:
        return supervise(settings, programs, ready)
    finally:
        harbours.end(ENDING_S)


def _make_past(folder: Path, places: dict[str, Place]) -> None:
    from saltpath.demo import past, watching

    watching.fill(folder, now_us())
    if not os.environ.get(CALM):
        past.fill(folder, now_us(), urlsplit(places[past.WHERE].address).netloc)


def _serve(port: int, answer: int) -> None:
    """Serve both harbours until told to end. They say where they are in a line of JSON, by
    environment, or in a text why not."""
    die_with_parent()
    shutdown = ShutdownSignal()
    signal.signal(signal.SIGINT, signal.SIG_IGN)  # Ctrl C comes to all; the harbours go last
    with ExitStack() as both, open(answer, "w", encoding="utf-8") as said:
        try:
            harbour = both.enter_context(Harbour(port=port))
            live = both.enter_context(Harbour(port=port + LIVE_AFTER if port else 0, live=True))
            post = both.enter_context(Post(port=port + POST_AFTER if port else 0))
        except OSError as problem:
            live_port = f"{port + LIVE_AFTER} for the live one, {port + POST_AFTER} for mail"
            json.dump(
                f"Fernholm Harbour cannot listen on port {port}, or {live_port}: "
                f"{problem.strerror}",
                said,
            )
            return
        json.dump(
            {
                name: (at.address, str(at.database), post.address)
                for name, at in (("Rehearsal", harbour), ("Live", live))
            },
            said,
        )
        said.close()
        while not shutdown.wait(LOOK_S):
            pass
