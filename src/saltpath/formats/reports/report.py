"""What a report tells of a run, wherever it was recorded: written by the modules beside this one,
piece by piece, so that a run of very many rows takes no memory."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from typing import Any

from msgspec import Struct, field

from saltpath.core.running.events import StepFinished
from saltpath.core.values.verdicts import Verdict
from saltpath.core.values.why import Why

Place = tuple[int, int, str, int, str]
"""Where a step stands in a run: the position of its case, row, part, index, inner (see
core/running/events.py)."""


class ReportedRow(Struct, frozen=True):
    """One row with its steps, in the order in which they ended. Lengths in microseconds."""

    row: int
    verdict: Verdict
    why: Why | None
    us: int
    data: Mapping[str, Any]
    steps: Sequence[StepFinished]


class ReportedCase(Struct, frozen=True):
    """One case: its steps around the rows, and a way to go through its rows, in their order."""

    position: int
    name: str
    key: str
    register: str
    file: str
    """Its path in the project; empty where it has none."""
    suite: str
    verdict: Verdict
    why: Why | None
    us: int
    has_rows: bool
    around: Sequence[StepFinished]
    rows: Callable[[], Iterable[ReportedRow]]
    environment: str = ""
    """Where it went, of a run against several."""

    @property
    def called(self) -> str:
        """Its name, of a run against several environments with where it went."""
        return f"{self.name} ({self.environment})" if self.environment else self.name

    def steps(self) -> Iterator[StepFinished]:
        """Every step, those before the rows first and those after them last."""
        yield from (step for step in self.around if step.part == "once")
        for row in self.rows():
            yield from row.steps
        yield from (step for step in self.around if step.part != "once")


class ReportedCause(Struct, frozen=True):
    """What several failures have in common, as a sentence."""

    who: str
    """Whom it happened to; empty where there is only one."""
    sentence: str
    verdict: Verdict
    cases: int
    known: str = ""
    """What is said of it where it is known: owner, note and end date."""

    def plain(self) -> dict[str, Any]:
        """As JSON has it."""
        return {
            "who": self.who,
            "sentence": self.sentence,
            "verdict": self.verdict,
            "cases": self.cases,
            "known": self.known,
        }

    @property
    def told(self) -> str:
        return f"{self.who}: {self.sentence}" if self.who else self.sentence


class Report(Struct, frozen=True):
    """A run as it ended, or as it stands. `cases` gives its cases in their order, as often as it is
    called."""

    verdict: Verdict
    seed: int
    started: int
    """UTC, microseconds."""
    us: int
    case_counts: Mapping[str, int]
    """How many cases had which verdict."""
    cases: Callable[[], Iterable[ReportedCase]]
    causes: Sequence[ReportedCause] = ()
    title: str = ""
    project: str = ""
    number: int = 0
    environment: str = ""
    build: str = ""
    """What was tested, or a word about the run."""
    note: str = ""
    started_by: str = ""
    stopped_by: str = ""
    address: str = ""
    """Where its page is; empty where it has none."""
    rows: Mapping[str, int] | None = None
    """Of a run of one case with rows: how many had which verdict."""
    known: Mapping[Place, str] = field(default_factory=dict)
    """The failures that are known, by their places, with what is said of them."""

    def known_as(self, position: int, step: StepFinished) -> str:
        """What is said of a step's failure where it is known; else nothing."""
        return self.known.get((position, step.row, step.part, step.step, step.inner), "")


class Counts(Struct):
    """How many cases, rows, steps and checks had which verdict. Steps that do not count are left
    out, and those that only hold others."""

    cases: Counter[str] = field(default_factory=Counter)
    rows: Counter[str] = field(default_factory=Counter)
    steps: Counter[str] = field(default_factory=Counter)
    checks: Counter[str] = field(default_factory=Counter)

    def step(self, step: StepFinished) -> None:
        if step.counts and step.kind not in ("shared", "for each"):
            self.steps[step.verdict] += 1
        for outcome in step.outcomes:
            self.checks[outcome.verdict] += 1

    def plain(self) -> dict[str, dict[str, int]]:
        return {
            "cases": dict(self.cases),
            "rows": dict(self.rows),
            "steps": dict(self.steps),
            "checks": dict(self.checks),
        }


def inside(step: StepFinished, every: Sequence[StepFinished]) -> list[StepFinished]:
    """The steps right inside one, of all those of its row, in the order in which they ended."""
    level = step.inner.count("/") + 1 if step.inner else 0
    begin = f"{step.inner}/" if step.inner else ""
    return [
        other
        for other in every
        if other.inner
        and (other.row, other.part, other.step) == (step.row, step.part, step.step)
        and other.inner.startswith(begin)
        and other.inner.count("/") == level
        and other.inner != step.inner
    ]


def item_of(step: StepFinished) -> int:
    """For which item of a list it was carried out, from 1; 0 for none."""
    return int(step.inner.rpartition("/")[2].rpartition(".")[0] or 0)
