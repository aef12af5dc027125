"""Which cases must have ended before another one begins its rows: those before it that write the
output table that it reads."""

from __future__ import annotations

import asyncio
from collections.abc import Iterable, Iterator, Sequence

from saltpath.core.cases.case import Step
from saltpath.core.running.compiled import CompiledCase


class Order:
    """The cases of a run by what they write."""

    def __init__(self, cases: Sequence[CompiledCase]) -> None:
        self._writers: dict[tuple[int, str], list[int]] = {}
        self._cases = cases
        if any(planned.source and planned.source.reads_table() for planned in cases):
            for index, planned in enumerate(cases):
                for table in dict.fromkeys(_tables(step for _, _, step in planned.case.parts())):
                    self._writers.setdefault((planned.goes, table), []).append(index)
        self._over: set[int] = set()
        self._waiting: list[tuple[set[int], asyncio.Future[None]]] = []

    async def written(self, table: str, before: int) -> None:
        """Wait until the cases before this one that write the table, and go where it goes, have
        ended."""
        writers = self._writers.get((self._cases[before].goes, table), ())
        missing = {index for index in writers if index < before} - self._over
        if missing:
            ready: asyncio.Future[None] = asyncio.get_running_loop().create_future()
            self._waiting.append((missing, ready))
            await ready

    def ended(self, case: int) -> None:
        """A case has ended."""
        self._over.add(case)
        for missing, ready in self._waiting:
            missing.discard(case)
            if not missing and not ready.done():
                ready.set_result(None)


def _tables(steps: Iterable[Step]) -> Iterator[str]:
    """The tables that steps write, those inside others too."""
    for step in steps:
        if step.write is not None:
            yield step.write.table
        yield from _tables(step.carried_out)
