"""E8: `saltpath run` of one case of one step, the whole process, as an installed package with its
bytecode, against an interpreter that only imports what every such command needs; both in turn."""

from __future__ import annotations

import compileall
import os
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import saltpath
from bench.nginx import harbour
from bench.sides import in_turn, line, median_ratio

CASE = (
    "salt-path: 1\ncase: One\nsteps:\n  - { request: A, send: 'GET ADDRESS', expect: [ { of: "
    "status, is: 200 } ] }\n"
)
BARE = "import ssl, json, sqlite3, urllib.request"
ROUNDS, MOST = 15, 3.0


def e8(address: str) -> None:
    compileall.compile_dir(str(Path(saltpath.__file__).parent), quiet=1)
    environment = {
        name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"
    }

    def seconds(*command: str) -> float:
        begun = time.perf_counter()
        subprocess.run(command, check=True, stdout=subprocess.DEVNULL, env=environment)
        return time.perf_counter() - begun

    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "one.case.yaml"
        file.write_text(CASE.replace("ADDRESS", address))
        ours = (str(Path(sys.executable).parent / "saltpath"), "run", str(file), "--quiet")
        seconds(*ours)
        run, bare = in_turn(
            ROUNDS, lambda: seconds(*ours), lambda: seconds(sys.executable, "-c", BARE)
        )
    ratio = median_ratio(run, bare)
    took, least = statistics.median(run), statistics.median(bare)
    line(
        "E8",
        f"{ratio:.2f}",
        f"<= {MOST:.1f}",
        ratio <= MOST,
        f"`saltpath run` of one step, {took:.2f} s against {least:.2f} s of {BARE}",
    )


if __name__ == "__main__":
    with harbour() as bench_address:
        e8(bench_address)
