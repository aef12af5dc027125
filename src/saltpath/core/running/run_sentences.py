"""How a run ended, as sentences: how many passed, and what went wrong, one for each cause."""

from __future__ import annotations

from collections.abc import Mapping

from saltpath.core.values.measures import counted, show_duration
from saltpath.core.values.verdicts import Verdict

_LIMIT = "the limit of "


def first_sentence(
    verdict: Verdict, cases: Mapping[str, int], rows: Mapping[str, int] | None
) -> str:
    """How many passed. `cases`: how many had which verdict; `rows`: the same of the rows of a run
    of one case that has some."""
    counts, what = (rows, "row") if rows else (cases, "case")
    total, passed = sum(counts.values()), counts.get("passed", 0)
    if total == 1:
        return f"{verdict.capitalize()}."
    if passed == total:
        return f"All {counted(total, what)} passed."
    return f"{passed} of {counted(total, what)} passed."


def unchecked_sentence(cases: Mapping[str, int]) -> str:
    """How many check nothing; empty where there is none."""
    number = cases.get("unchecked", 0)
    verb = "checks" if number == 1 else "check"
    return f"{counted(number, 'case')} {verb} nothing." if number else ""


def limit_of(most: int) -> str:
    """Who has stopped a run that was to stop after so many bad cases."""
    return f"{_LIMIT}{counted(most, 'bad case')}"


def stopped_itself(stopped_by: str) -> bool:
    """Whether it was that limit, and nobody."""
    return stopped_by.startswith(_LIMIT)


def facts_sentence(
    number: int, environment: str, build: str, started_by: str, seed: int, us: int
) -> str:
    """What the run was: its number, what was tested, where, by whom, from which seed, how long."""
    facts = [
        f"run {number}" if number else "",
        f"build {build}" if build else "",
        f"against {environment}" if environment else "",
        f"started by {started_by}" if started_by else "",
        f"seed {seed}",
        f"{show_duration(us)} in all",
    ]
    return " · ".join(fact for fact in facts if fact)
