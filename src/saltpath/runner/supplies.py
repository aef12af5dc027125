"""What a run needs from outside, where the store is on this machine."""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from contextlib import closing
from pathlib import Path
from typing import Any, cast

from msgspec.structs import replace

from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.running.roles import not_set_up
from saltpath.core.running.supplies import Kept, Resume, Supplies
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Blocked, MaskedWhy, Why, as_masked, why
from saltpath.formats.rows import read_table
from saltpath.runner.planning import Planned
from saltpath.runner.recorder import Recorder
from saltpath.store import (
    evidence,
    output_rows,
    project_files,
    run_records,
    run_rows,
    runs,
    secrets,
)
from saltpath.store.database import connect
from saltpath.store.reaching import reach

SETTLED_S = 60


class LocalSupplies(Supplies):
    """The supplies of one run, from its project's databases and folder."""

    def __init__(
        self,
        folder: Path,
        main: sqlite3.Connection,
        evidence_side: sqlite3.Connection,
        recorder: Recorder,
        run: runs.Run,
        planned: Planned,
        own_port: int,
    ) -> None:
        self.own_folder, self.reach = folder, reach(main, own_port)
        self._folder, self._main, self._evidence = folder, main, evidence_side
        self._recorder, self._run, self._positions = recorder, run, planned.positions
        self._roles = planned.roles
        self._file = project_files.file_reader(main, run.project)
        self._open = project_files.opener(main, run.project, planned.files)

    def given(self) -> dict[str, str]:
        return secrets.given(self._folder, self._run.project, self._run.request.sealed)

    def secrets(self, suite: str, environment: str) -> dict[str, Any]:
        project = self._run.project
        return secrets.secrets_for(self._main, self._folder, project, environment, suite)

    def read_file(self, path: str) -> bytes:
        return self._file(path)

    def read_rows(self, source: FileRows) -> Iterator[Row]:
        return read_table(self._open(source.file), source).rows

    def read_output(self, table: str, environment: str) -> Iterator[Row]:
        """Those that this run has written, else those of the newest that did. In any thread."""
        self._recorder.settled(SETTLED_S)
        run = self._run
        with (
            closing(connect(self._folder, "evidence")) as evidence_side,
            closing(connect(self._folder, "main")) as main,
        ):
            own = run.id if output_rows.count(evidence_side, run.id, table) else None
            of = own or output_rows.newest_run(main, evidence_side, run.project, table)
            if of is None:
                source, problem = f"the output table {table}", "nothing was written there"
                raise Blocked(why("source-unreadable", source=source, problem=problem))
            there = {
                entry.position
                for entry in runs.run_cases(main, of)
                if entry.environment == environment
            }
            found = (
                cells
                for position, cells in output_rows.rows(evidence_side, of, table)
                if position in there or not there  # it went elsewhere
            )
            yield from (Row(number, cells) for number, cells in enumerate(found, 1))

    async def begin_rows(self, case: int, row: int) -> None:
        await self._recorder.rows_begin(case, row)

    async def begin_part(self, case: int, row: int, part: str) -> None:
        await self._recorder.part_begins(case, row, part)

    async def keep_session(self, case: int, kept: Kept) -> None:
        left = {"values": kept.values, "secret": sorted(kept.secret), "cookies": kept.cookies}
        sealed = secrets.seal_given(self._folder, self._run.project, left)
        await self._recorder.keep_session(case, sealed)

    def handed(self, suite: str, environment: str) -> tuple[Kept, MaskedWhy | None] | None:
        around = [
            one
            for one in runs.run_cases(self._main, self._run.id)
            if self._roles.get(one.position) == (suite, "set up") and one.environment == environment
        ]
        if not around or any(one.state != "finished" for one in around):
            return None
        values: dict[str, Any] = {}
        secret: set[str] = set()
        bad: MaskedWhy | None = None
        for one in around:
            sealed = run_records.session(self._main, self._run.id, one.position)
            left = secrets.given(self._folder, self._run.project, sealed) if sealed else {}
            values |= left.get("values", {})
            secret |= set(left.get("secret", ()))
            reason = as_masked(Why(one.why["code"], one.why["params"])) if one.why else None
            bad = bad or not_set_up(one.name, cast(Verdict, one.verdict), reason)
        return Kept(values, frozenset(secret)), bad

    def ended(self, case: int, row: int) -> tuple[Verdict, MaskedWhy | None] | None:
        ended = run_rows.finished(self._evidence, self._run.id, self._positions[case], row)
        return (cast(Verdict, ended.verdict), ended.why) if ended else None

    def recorded(self, case: int, row: int) -> Resume:
        """Keeps (secret ones are lost), finished steps, what was begun; around the rows with all
        that `once` left."""
        run, position = self._run.id, self._positions[case]
        kept: dict[str, Any] = {}
        for step in evidence.steps_of_row(self._evidence, run, position, row):
            if not evidence.hidden(step.head.inner):
                shown = step.kept.keys() - step.secret_kept
                kept.update({name: step.kept[name] for name in step.kept if name in shown})
        finished = evidence.recorded_steps(self._evidence, run, position, row)
        begun = evidence.parts_begun(self._evidence, run, position, row)
        found = Resume(Kept(kept), finished, begun | {part for part, _ in finished})
        sealed = run_records.session(self._main, run, position) if row == 0 else None
        if sealed is None:
            return found
        left = secrets.given(self._folder, self._run.project, sealed)
        cookies = tuple(tuple(cookie) for cookie in left["cookies"])
        return replace(found, kept=Kept(left["values"], frozenset(left["secret"]), cookies))
