"""Shared steps put in their places: what a step names is looked up, all the way down, and circles
are found."""

from __future__ import annotations

from collections.abc import Mapping

from msgspec.structs import replace

from saltpath.core.cases.case import Case, Step, UseShared
from saltpath.core.values.nearest import listed, nearest
from saltpath.core.values.why import Why, why

Library = Mapping[str, Case]
"""Shared steps by the name of their file, without its ending."""


def linked(case: Case, library: Library, inside: tuple[str, ...] = ()) -> Case:
    """The case with its shared steps in the steps that use them. One that cannot be had says why,
    and blocks when it is reached. `inside`: the names of the shared steps that this is about,
    outermost first."""

    def link(step: Step) -> Step:
        if not isinstance(step, UseShared):
            return step
        problem = _problem(step, library, inside)
        if problem is not None:
            return replace(step, problem=problem)
        found = linked(library[step.of], library, (*inside, step.of))
        return replace(step, name=found.name, shared=found)

    return case.mapped(link) if uses(case) else case


def _problem(step: UseShared, library: Library, inside: tuple[str, ...]) -> Why | None:
    if step.of in inside:
        return why(
            "shared-circle",
            name=step.of,
            chain=" -> ".join([*inside[inside.index(step.of) :], step.of]),
        )
    if step.of not in library:
        near = nearest(step.of, library)
        return why("no-shared", name=step.of, near=f"; did you mean {near}?" if near else "")
    found = library[step.of]
    known = {item.name for item in found.inputs}
    for name, _ in step.given:
        if name not in known:
            return why("no-input", shared=step.of, name=name, names=listed(sorted(known)) or "none")
    given = {name for name, _ in step.given}
    for item in found.inputs:
        if item.default is ... and item.name not in given:
            return why("input-missing", shared=step.of, name=item.name)
    outputs = {name for name, _ in found.outputs}
    for output, _ in step.gives:
        if output not in outputs:
            return why(
                "no-output", shared=step.of, name=output, names=listed(sorted(outputs)) or "none"
            )
    return None


def uses(case: Case) -> list[str]:
    """The shared steps that a case names, in order, each once."""
    return list(dict.fromkeys(step.uses for _, step in case.every_step() if step.uses))


def users(name: str, library: Library) -> set[str]:
    """Which shared steps use one, also through others."""
    found: set[str] = set()
    waiting = [name]
    while waiting:
        wanted = waiting.pop()
        for other, case in library.items():
            if other not in found and wanted in uses(case):
                found.add(other)
                waiting.append(other)
    return found
