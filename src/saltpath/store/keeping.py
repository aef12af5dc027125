"""What is kept for how long, and the taking away of what is older, piece by piece, so that others
who write wait for milliseconds.

Results (runs, verdicts, times) outlive what steps saw (their evidence), and evidence of what went
wrong outlives that of what passed. Whatever the rules say, the newest runs of each case stay.
"""

from __future__ import annotations

import sqlite3
from collections.abc import Iterator
from typing import Any

from msgspec import Struct
from msgspec.structs import asdict, replace

from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.store.database import Conflict, now_us, write

DAY_US = 86_400_000_000
GONE_DAYS = 30
"""What was deleted is found again so long: cases, suites, shared steps, sealed values."""
PIECE = 200
"""Rows that are taken away in one transaction."""
MOST_DAYS = 36_500
MOST_RUNS = 1_000_000
_BAD = "('failed', 'blocked')"
_OF_RUN = {
    "step": "id",
    "run_row": "position, row",
    "output_row": "tab, position, place",
    "part_begun": "position, row, part",
    "failure": "position, row, part, step, inner",
    "resource": "position, row, part, step, inner, attempt, nth",
    "cause": "id",
}
"""What the evidence's file holds of a run, by table: what a row is known by within it."""


class Rules(Struct, frozen=True):
    """What a project keeps; days since a run ended."""

    run_days: int = 365
    """Runs with their results."""
    least_runs: int = 10
    """So many of the newest runs of each case stay, however old they are."""
    most_runs: int = 10_000
    """And no more than so many."""
    evidence_days: int = 30
    """What steps saw."""
    bad_evidence_days: int = 90
    """What steps of cases and rows saw that failed or were blocked."""
    trial_days: int = 7
    """Trials, but for the newest of each case."""
    event_days: int = 7
    """What pages were told as it happened."""
    watch_days: int = 400
    """Runs of watches, each with its verdict and time; what they add up to stays longer."""
    watch_evidence_days: int = 3
    """What good runs of watches saw, but for one a day, which stays as long as the run."""


SAID = {
    "run_days": "many days runs are kept",
    "least_runs": "many runs of a case stay at least",
    "most_runs": "many runs of a case stay at most",
    "evidence_days": "many days evidence is kept",
    "bad_evidence_days": "many days evidence of what went wrong is kept",
    "trial_days": "many days trials are kept",
    "event_days": "many days is kept what pages were told",
    "watch_days": "many days runs of watches are kept",
    "watch_evidence_days": "many days is kept what good runs of watches saw",
}
"""The rules as sentences say them, behind “how”."""


def read_rules(given: dict[str, Any], over: Rules) -> Rules:
    """Rules with some changed, by their names. Raises Unreadable."""
    values: dict[str, int] = {}
    for name, value in given.items():
        if name not in Rules.__struct_fields__:
            raise Unreadable(f"{name} is no rule of what is kept")
        least, most = (
            (1, MOST_RUNS)
            if name.endswith("runs")
            else (0 if name.endswith("evidence_days") else 1, MOST_DAYS)
        )
        if type(value) is not int or not least <= value <= most:
            raise Unreadable(f"how {SAID[name]} is a whole number from {least} to {most}")
        values[name] = value
    made = replace(over, **values)
    if made.bad_evidence_days < made.evidence_days:
        raise Unreadable("what went wrong is kept at least as long as what did not")
    if made.most_runs < made.least_runs:
        raise Unreadable("there cannot be fewer runs at most than at least")
    return made


def rules_of(connection: sqlite3.Connection, project: int) -> Rules:
    row = connection.execute("SELECT rules FROM keeping WHERE project = ?", (project,)).fetchone()
    return Rules(**plain.read_json(row["rules"])) if row else Rules()


def set_rules(
    connection: sqlite3.Connection,
    project: int,
    actor: int,
    given: dict[str, Any],
    seen: dict[str, Any] | None = None,
) -> Rules:
    """Change some rules, by their names. `seen`: rules that must be as they were seen, so that
    nobody keeps less than somebody else has just said without being asked. Raises Unreadable, and
    Conflict where they are not."""
    with write(connection):
        now = rules_of(connection, project)
        for name, value in (seen or {}).items():
            if name in SAID and getattr(now, name) != value:
                raise Conflict(
                    f"how {SAID[name]} was changed meanwhile; it is {getattr(now, name)} now"
                )
        made = read_rules(given, now)
        values = asdict(made)
        connection.execute(
            "INSERT OR REPLACE INTO keeping (project, rules, actor, at) VALUES (?, ?, ?, ?)",
            (project, plain.write_json(values).decode(), actor, now_us()),
        )
    return made


# ---- taking away


def take_away(main: sqlite3.Connection, evidence: sqlite3.Connection, now: int) -> Iterator[int]:
    """Take away what no project keeps any more at this moment (UTC microseconds). Goes on after
    each piece, with how many rows it had; it can be broken off anywhere and begun anew."""
    for project in [row["id"] for row in main.execute("SELECT id FROM project").fetchall()]:
        rules = rules_of(main, project)
        yield from _older(main, "event", "at", project, now - rules.event_days * DAY_US)
        yield from _older(main, "secret_gone", "gone_at", project, now - GONE_DAYS * DAY_US)
        for run in _old_runs(main, project, rules, now):
            yield from _run(main, evidence, run)
        yield from _evidence(main, evidence, project, rules, now)
    yield from _unused(main, evidence)


def _older(
    main: sqlite3.Connection, table: str, time: str, project: int, before: int
) -> Iterator[int]:
    """Rows of a table from before a moment."""
    old = f"SELECT id FROM {table} WHERE project = ? AND {time} < ? ORDER BY id LIMIT ?"
    while True:
        with write(main):
            gone = main.execute(
                f"DELETE FROM {table} WHERE id IN ({old})", (project, before, PIECE)
            ).rowcount
        if not gone:
            return
        yield gone


def _old_runs(main: sqlite3.Connection, project: int, rules: Rules, now: int) -> list[int]:
    """The finished runs that are kept no more, the oldest first."""
    ranked = (
        "SELECT r.id, r.kind, r.finished_at, MIN(n) AS newest, MAX(n) AS oldest FROM run r JOIN ("
        " SELECT run, DENSE_RANK() OVER (PARTITION BY test_case, kind ORDER BY run DESC) AS n "
        "FROM run_case WHERE project = ?"
        ") c ON c.run = r.id WHERE r.project = ? AND r.state = 'finished' GROUP BY r.id"
    )
    rows = main.execute(
        f"SELECT id FROM ({ranked}) WHERE CASE kind"
        " WHEN 'run' THEN (finished_at < ? AND newest > ?) OR newest > ?"
        " WHEN 'removal' THEN 0"  # it goes with the run whose leavings it removed
        " ELSE finished_at < ? AND newest > 1 END ORDER BY id",
        (
            project,
            project,
            now - rules.run_days * DAY_US,
            rules.least_runs,
            rules.most_runs,
            now - rules.trial_days * DAY_US,
        ),
    )
    return [row["id"] for row in rows]


def _run(main: sqlite3.Connection, evidence: sqlite3.Connection, run: int) -> Iterator[int]:
    """A run with all that it had, and what removed its leavings: what steps saw first, so that
    nothing is left without its run."""
    removals = main.execute("SELECT run FROM removal WHERE of_run = ?", (run,)).fetchall()
    for removal in removals:
        yield from _run(main, evidence, removal["run"])
    made_for_it = main.execute(
        "SELECT test_case AS id FROM run_case JOIN removal USING (run) WHERE run = ?", (run,)
    ).fetchall()
    for table, keys in _OF_RUN.items():
        # those that others are packed against come last
        order = "ORDER BY base IS NULL, id" if table == "step" else ""
        while True:
            with write(evidence):
                gone = evidence.execute(
                    f"DELETE FROM {table} WHERE run = ? AND ({keys}) IN (SELECT {keys} FROM "
                    f"{table} WHERE run = ? {order} LIMIT ?)",
                    (run, run, PIECE),
                ).rowcount
            if not gone:
                break
            yield gone
    with write(main):
        for statement in (
            "DELETE FROM removal WHERE run = ?",
            "DELETE FROM run_case WHERE run = ?",
            "DELETE FROM job WHERE run = ?",
            "DELETE FROM event WHERE run = ?",
            "DELETE FROM run WHERE id = ?",
        ):
            main.execute(statement, (run,))
        for case in made_for_it:
            main.execute("DELETE FROM case_revision WHERE test_case = ?", (case["id"],))
            main.execute("DELETE FROM test_case WHERE id = ?", (case["id"],))
    yield 1


def _evidence(
    main: sqlite3.Connection, evidence: sqlite3.Connection, project: int, rules: Rules, now: int
) -> Iterator[int]:
    """What steps saw in runs that are older; what went wrong stays longer, and with it the records
    that its own are packed against."""
    good, bad = now - rules.evidence_days * DAY_US, now - rules.bad_evidence_days * DAY_US
    runs = main.execute(
        "SELECT id, finished_at < ? AS old, evidence FROM run WHERE project = ? AND state = "
        "'finished'"
        " AND ((finished_at < ? AND evidence = 'kept') OR (finished_at < ? AND evidence <> "
        "'gone')) ORDER BY id",
        (bad, project, good, bad),
    ).fetchall()
    for run in runs:
        kept = () if run["old"] else _bad_places(main, evidence, run["id"])
        yield from _drop(evidence, run["id"], kept)
        with write(main):
            state = "gone" if run["old"] else "of bad ones"
            main.execute("UPDATE run SET evidence = ? WHERE id = ?", (state, run["id"]))


def _bad_places(
    main: sqlite3.Connection, evidence: sqlite3.Connection, run: int
) -> set[tuple[int, int]]:
    """(position, row) of what failed or was blocked: its rows of a case that has rows, the whole of
    one that has none; and what stands around the rows of a bad case."""
    found: set[tuple[int, int]] = set()
    for row in main.execute(
        f"SELECT position, rows FROM run_case WHERE run = ? AND verdict IN {_BAD}", (run,)
    ):
        found |= (
            {(row["position"], 0)} if row["rows"] else {(row["position"], 0), (row["position"], 1)}
        )
    rows = evidence.execute(
        f"SELECT position, row FROM run_row WHERE run = ? AND verdict IN {_BAD}", (run,)
    )
    return found | {(row["position"], row["row"]) for row in rows}


def _drop(evidence: sqlite3.Connection, run: int, kept: Any) -> Iterator[int]:
    """Empty the records of a run but for those at the kept places, and those that these are packed
    against."""
    after = 0
    needed: set[int] = set()
    if kept:
        bases = evidence.execute(
            "SELECT position, row, base FROM step WHERE run = ? AND base IS NOT NULL", (run,)
        )
        needed = {row["base"] for row in bases if (row["position"], row["row"]) in kept}
    while True:
        rows = evidence.execute(
            "SELECT id, position, row FROM step WHERE run = ? AND id > ? ORDER BY id LIMIT ?",
            (run, after, PIECE),
        ).fetchall()
        if not rows:
            return
        after = rows[-1]["id"]
        gone = [
            (row["id"],)
            for row in rows
            if (row["position"], row["row"]) not in kept and row["id"] not in needed
        ]
        with write(evidence):
            evidence.executemany(
                "UPDATE step SET packed = x'', base = NULL, against = NULL WHERE id = ?", gone
            )
        yield len(gone)


def _unused(main: sqlite3.Connection, evidence: sqlite3.Connection) -> Iterator[int]:
    """Bodies that stand apart, and what steps are packed against, that no run with evidence has
    used."""
    oldest = main.execute("SELECT MIN(id) FROM run WHERE evidence <> 'gone'").fetchone()[0]
    if oldest is None:
        return
    for table, key in (("body", "hash"), ("base", "id")):
        old = f"SELECT {key} FROM {table} WHERE last_run < ? LIMIT ?"
        while True:
            with write(evidence):
                gone = evidence.execute(
                    f"DELETE FROM {table} WHERE {key} IN ({old})", (oldest, PIECE)
                ).rowcount
            if not gone:
                break
            yield gone
