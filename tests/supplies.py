"""What a run of a test is given from outside."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import Any

from saltpath.core.running.reach import Reach
from saltpath.core.running.supplies import Kept, Resume, Supplies
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import MaskedWhy

NOTHING = Resume(Kept({}), {}, frozenset())


class Given(Supplies):
    """What is not given is as it is where there is nothing. `claimed`: the rows that were said to
    begin; `resumes` and `over`: what was recorded by row of a case that another had begun."""

    def __init__(
        self,
        read_file: Callable[[str], bytes] | None = None,
        read_rows: Callable[[Any], Any] | None = None,
        read_output: Callable[[str], Any] | None = None,
        resumes: Mapping[int, Resume] | None = None,
        over: Mapping[int, tuple[Verdict, MaskedWhy | None]] | None = None,
        root: Path | None = None,
        own_folder: Path | None = None,
        reach: Reach | None = None,
    ) -> None:
        self.root, self.own_folder, self.reach = root, own_folder, reach
        self._resumes, self._over = resumes or {}, over or {}
        self.claimed: list[int] = []
        given = {"read_file": read_file, "read_rows": read_rows, "read_output": read_output}
        for name, way in given.items():
            if way is not None:
                setattr(self, name, way)

    async def begin_rows(self, case: int, row: int) -> None:
        await asyncio.sleep(0.001)
        self.claimed.append(row)

    def recorded(self, case: int, row: int) -> Resume:
        return self._resumes.get(row, NOTHING)

    def ended(self, case: int, row: int) -> tuple[Verdict, MaskedWhy | None] | None:
        return self._over.get(row)
