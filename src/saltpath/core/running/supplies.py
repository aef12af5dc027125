"""What a run needs from outside, and what it says of itself so that another can go on with it: one
protocol, so that a runner elsewhere can have its own way to it."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from pathlib import Path
from typing import Any

from msgspec import Struct

from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.running.reach import Reach
from saltpath.core.running.totals import RecordedStep
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked, MaskedWhy, why


class Kept(Struct, frozen=True):
    """What `once` left for the rows: values with the names of secret ones, and cookies (as
    engine/cookies.py has them)."""

    values: dict[str, Any]
    secret: frozenset[str] = frozenset()
    cookies: tuple[tuple[Any, ...], ...] = ()


NOTHING_KEPT = Kept({})


class Resume(Struct, frozen=True):
    """A row that another runner had begun, or (row 0) what stands around the rows of such a
    case."""

    kept: Kept
    """What was recorded as kept; of steps around the rows all of it, else without secrets."""
    finished: Mapping[tuple[str, int], RecordedStep]
    """The steps that had ended, by part and index."""
    begun: frozenset[str]
    """The parts of which a step may have been sent; such a step is never sent again."""


class Supplies:
    """What surrounds a run that has nothing but its plan: no files, no secrets, nobody who goes on
    with it. Whoever has more overrides it. All is called in the loop's thread but what reads rows
    and files, which is called in any."""

    own_folder: Path | None = None
    """The application's, in which no database is looked into."""
    root: Path | None = None
    """The folder that the project is, if it is one."""
    reach: Reach | None = None
    """Where requests may go; None: anywhere, as from a command on somebody's own machine."""

    def given(self) -> dict[str, str]:
        """The values that the run was given at its start."""
        return {}

    def secrets(self, suite: str, environment: str) -> dict[str, Any]:
        """What fills the values that are marked as secret in an environment: (empty) the project's,
        or those of one of its suites."""
        return {}

    def read_file(self, path: str) -> bytes:
        """A file of the project. Raises Blocked."""
        raise Blocked(why("no-file", path=path, problem="there are no files here"))

    def read_rows(self, source: FileRows) -> Iterator[Row]:
        """The rows of a file. Raises Unreadable or Blocked, also while they are read."""
        problem = "there are no files here"
        raise Blocked(why("source-unreadable", source=source.file, problem=problem))

    def read_output(self, table: str, environment: str) -> Iterator[Row]:
        """The rows of an output table, as they were written there. Raises Blocked."""
        source, problem = f"the output table {table}", "nothing was written yet"
        raise Blocked(why("source-unreadable", source=source, problem=problem))

    # ---- what is recorded before it happens

    async def begin_rows(self, case: int, row: int) -> None:
        """Rows of a case up to this one may begin once this returns."""

    async def begin_part(self, case: int, row: int, part: str) -> None:
        """Steps of a part may be sent once this returns: of a case without rows, of those around
        all rows (row 0), of those afterwards."""

    async def keep_session(self, case: int, kept: Kept) -> None:
        """What `once` left for the rows."""

    # ---- what was recorded of a run that another runner had begun

    def handed(self, suite: str, environment: str) -> tuple[Kept, MaskedWhy | None] | None:
        """What the cases that set a suite up there, which all have ended, have handed down, and why
        the others cannot be carried out, if one was bad; None if they have not ended, or there are
        none."""
        return None

    # ---- what was recorded of a case that another runner had begun

    def recorded(self, case: int, row: int) -> Resume:
        """Of a row that had begun and not ended, or (row 0) around all rows."""
        return Resume(Kept({}), {}, frozenset())

    def ended(self, case: int, row: int) -> tuple[Verdict, MaskedWhy | None] | None:
        """How a row ended, if it did."""
        return None
