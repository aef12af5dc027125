"""E8: `saltpath run` of one case of one step, the whole process, as an installed package with its bytecode."""

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
from bench.sides import line

CASE = "salt-path: 1\ncase: One\nsteps:\n  - { request: A, send: 'GET ADDRESS', expect: [ { of: status, is: 200 } ] }\n"


def e8(address: str) -> None:
    compileall.compile_dir(str(Path(saltpath.__file__).parent), quiet=1)
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "one.case.yaml"
        file.write_text(CASE.replace("ADDRESS", address))
        command = [str(Path(sys.executable).parent / "saltpath"), "run", str(file), "--quiet"]
        environment = {name: value for name, value in os.environ.items() if name != "PYTHONDONTWRITEBYTECODE"}
        seconds = []
        for _ in range(9):
            begun = time.perf_counter()
            subprocess.run(command, check=True, stdout=subprocess.DEVNULL, env=environment)
            seconds.append(time.perf_counter() - begun)
    median = statistics.median(seconds[1:])
    line("E8", f"{median:.2f} s", "<= 0.5 s", median <= 0.5, f"{min(seconds):.2f} to {max(seconds):.2f} s")


if __name__ == "__main__":
    with harbour() as bench_address:
        e8(bench_address)
