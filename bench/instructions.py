"""Instructions an exchange, ours and a bare libcurl loop's, which no busy neighbour changes:
`python -m bench.instructions` (needs valgrind).

Both sides are run twice under cachegrind, for fewer and for more exchanges; the difference leaves
out what starting costs.
"""

from __future__ import annotations

import os
import subprocess
import sys
import tempfile
from collections import Counter
from pathlib import Path

from bench.nginx import harbour
from bench.sides import bare, engine

FEWER, MORE = 500, 4_500
SHOWN = 40


def counted(side: str, exchanges: int, address: str) -> Counter[str]:
    """Instructions by function. Raises RuntimeError if valgrind is not installed, and what the
    command ended with."""
    with tempfile.TemporaryDirectory() as folder:
        file = Path(folder) / "counts"
        command = [
            "valgrind",
            "--tool=cachegrind",
            "--cache-sim=no",
            f"--cachegrind-out-file={file}",
        ]
        command += [sys.executable, "-m", "bench.instructions", side, str(exchanges), address]
        try:
            subprocess.run(
                command, check=True, capture_output=True, env={**os.environ, "PYTHONHASHSEED": "0"}
            )
        except FileNotFoundError:
            raise RuntimeError("valgrind is needed: apt-get install valgrind") from None
        return read(file.read_text(encoding="utf-8", errors="replace"))


def read(text: str) -> Counter[str]:
    """cachegrind's own file: `fl=` and `fn=` say where the lines that follow belong, each a line
    number and its instructions."""
    counts: Counter[str] = Counter()
    file = place = ""
    for line in text.splitlines():
        if line.startswith("fl="):
            file = line[3:].rpartition("/")[2]
        elif line.startswith("fn="):
            place = f"{line[3:]} ({file})"
        elif line[:1].isdigit():
            counts[place] += int(line.split()[1])
    return counts


def an_exchange(side: str, address: str) -> dict[str, float]:
    """Instructions an exchange by function."""
    fewer, more = counted(side, FEWER, address), counted(side, MORE, address)
    return {place: (count - fewer[place]) / (MORE - FEWER) for place, count in more.items()}


def main() -> None:
    with harbour() as address:
        theirs, ours = (an_exchange(side, address) for side in ("bare", "engine"))
    print(
        f"engine {sum(ours.values()):,.0f} instructions an exchange, a bare libcurl loop "
        f"{sum(theirs.values()):,.0f}"
    )
    for place in sorted(ours, key=lambda name: -ours[name])[:SHOWN]:
        print(f"{ours[place]:8,.0f}  {theirs.get(place, 0):8,.0f}  {place}")


if __name__ == "__main__":
    if sys.argv[1:]:
        side, exchanges, address = sys.argv[1:]
        if side == "bare":
            bare(address, int(exchanges), 16)
        else:
            engine(address, int(exchanges), 16, lambda event: None)
    else:
        main()
