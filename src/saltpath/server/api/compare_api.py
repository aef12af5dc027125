"""Two runs side by side: which cases came otherwise, and what took longer."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

from flask import Blueprint, Response, request

from saltpath.core.values.measures import counted, show_duration
from saltpath.server.api.views import ms, reason, run_view
from saltpath.server.asked import run_asked
from saltpath.server.compiled import summary_of
from saltpath.server.context import database
from saltpath.server.declared import ID, declared, of, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.store import evidence, runs
from saltpath.store.evidence import StepHead
from saltpath.store.runs import RunCase

compare_api = Blueprint("compare", __name__)
ORDER = ("broke", "otherwise", "mended", "still bad", "only here", "only there", "same")
"""What became of a case, what needs a person first."""
SAID = {
    "broke": ("broke", "broke"),
    "otherwise": ("is bad for another reason", "are bad for another reason"),
    "mended": ("is mended", "are mended"),
    "still bad": ("is still bad", "are still bad"),
    "only here": ("was not in that run", "were not in that run"),
    "only there": ("is not in this run", "are not in this run"),
    "same": ("came the same", "came the same"),
}
_GOOD = "passed"


@compare_api.get("/runs/<id>/compared")
@declared(
    "compareRuns",
    "A run beside another",
    of("Compared"),
    ID,
    parameter("with", "the other run's identity", required=True),
)
def compare(id: str) -> Response:
    """Case by case: which broke, which are mended, which are bad for another reason; and what each
    step took. Both are runs of one project."""
    run = run_asked(id)
    other = run_asked(request.args.get("with", ""))
    if other.project != run.project or other.id == run.id:
        raise Refused(422, "with", "Name another run of the same project.")
    here, there = (runs.run_cases(database(), one.id) for one in (run, other))
    heads = _heads(run, here), _heads(other, there)
    items = [_compared(one, another, heads) for one, another in _pairs(here, there)]
    items.sort(key=lambda item: ORDER.index(item["became"]))
    return json_answer(
        {
            "run": run_view(run),
            "with": run_view(other),
            "sentences": _sentences(run, other, Counter(item["became"] for item in items)),
            "cases": items,
        }
    )


def _pairs(
    here: list[RunCase], there: list[RunCase]
) -> Iterator[tuple[RunCase | None, RunCase | None]]:
    """The same case on both sides: where it went to several environments in the same one, else
    wherever it went."""
    for case in dict.fromkeys(entry.case for entry in [*here, *there]):
        own = [entry for entry in here if entry.case == case]
        others = {entry.environment: entry for entry in there if entry.case == case}
        if len(own) == len(others) == 1:
            yield own[0], next(iter(others.values()))
            continue
        for entry in own:
            yield entry, others.pop(entry.environment, None)
        for entry in others.values():
            yield None, entry


def _heads(run: runs.Run, entries: list[RunCase]) -> dict[int, list[StepHead]]:
    with_rows = [one.position for one in entries if summary_of(one).has_rows]
    found = evidence.heads(database("evidence"), run.id, with_rows)
    return {position: evidence.read_heads(text) for position, text in found.items()}


def _became(here: RunCase | None, there: RunCase | None) -> str:
    if here is None:
        return "only there"
    if there is None:
        return "only here"
    if here.verdict == there.verdict == _GOOD:
        return "same"
    if here.verdict == _GOOD:
        return "mended"
    if there.verdict == _GOOD:
        return "broke"
    alike = here.verdict == there.verdict and _code(here) == _code(there)
    return "still bad" if alike else "otherwise"


def _code(entry: RunCase) -> tuple[Any, ...]:
    """What a case is bad for, without its values."""
    why = entry.why or {}
    place = why.get("params", {}).get("path", "")
    return why.get("code", ""), str(place)


def _compared(
    here: RunCase | None,
    there: RunCase | None,
    heads: tuple[dict[int, list[StepHead]], dict[int, list[StepHead]]],
) -> dict[str, Any]:
    entry = here or there
    assert entry is not None
    return {
        "case": entry.case,
        "name": entry.name,
        "suite": entry.suite,
        "environment": entry.environment,
        "became": _became(here, there),
        "hasRows": summary_of(entry).has_rows,
        "here": _side(here),
        "there": _side(there),
        "steps": _steps(here, there, heads),
    }


def _side(entry: RunCase | None) -> dict[str, Any] | None:
    if entry is None:
        return None
    return {
        "position": entry.position,
        "verdict": entry.verdict,
        "why": reason(entry.why),
        "ms": ms(entry.us),
        "rows": entry.rows,
    }


def _steps(
    here: RunCase | None,
    there: RunCase | None,
    heads: tuple[dict[int, list[StepHead]], dict[int, list[StepHead]]],
) -> list[dict[str, Any]]:
    """The steps of both by their names: a case may have been edited between the two."""
    sides = []
    for entry, of_run in ((here, heads[0]), (there, heads[1])):
        named: dict[tuple[str, int], str] = {}
        if entry is not None:
            named = {(step.part, step.index): step.name for step in summary_of(entry).steps}
        found = of_run.get(entry.position, []) if entry is not None else []
        seen: Counter[str] = Counter()
        side: dict[tuple[str, int], StepHead] = {}
        for head in found:
            name = named.get((head.part, head.step), "")
            seen[name] += 1
            side[name, seen[name]] = head
        sides.append(side)
    return [
        {
            "name": name,
            "here": _step(sides[0].get((name, number))),
            "there": _step(sides[1].get((name, number))),
        }
        for name, number in dict.fromkeys([*sides[0], *sides[1]])
    ]


def _step(head: StepHead | None) -> dict[str, Any] | None:
    if head is None:
        return None
    return {
        "part": head.part,
        "index": head.step,
        "row": head.row,
        "verdict": head.verdict,
        "status": head.status,
        "ms": ms(head.us),
        "size": head.size,
    }


def _sentences(run: runs.Run, other: runs.Run, became: Counter[str]) -> list[str]:
    """What became of how many, and how long both took."""
    said = [
        f"{counted(became[kind], 'case')} {SAID[kind][became[kind] > 1]}."
        for kind in ORDER
        if became[kind]
    ]
    if not any(became[kind] for kind in ORDER if kind != "same"):
        said = ["Every case came the same."]
    lengths = [
        one.finished_at - one.started_at if one.finished_at and one.started_at else 0
        for one in (run, other)
    ]
    if all(lengths):
        said.append(f"It took {show_duration(lengths[0])}, and {show_duration(lengths[1])} then.")
    return said
