"""Which references a step holds, where in it they stand, and which names they stand for."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from typing import Any

from saltpath.core.answers.subjects import Subject
from saltpath.core.cases.case import Body, Case, JsonText, Request, Step, XmlText
from saltpath.core.cases.expectations import Expectation, checks_in, subjects_in
from saltpath.core.checks.loose import references_in_expected
from saltpath.core.references.templates import Reference, named, references_in


def references_of(step: Step) -> Iterator[tuple[Reference, bool]]:
    """Every reference of a step and of those inside it, but to the items there. The flag says
    whether it is resolved when the values of this very step may be kept already."""
    yield from own_references(step)
    for inner in step.inside:
        for reference, late in references_of(inner):
            if reference.scope is not None or reference.name != step.item_name:
                yield reference, late


def own_references(step: Step) -> Iterator[tuple[Reference, bool]]:
    """Those of the step itself alone."""
    yield from ((reference, False) for reference in OWN.get(step.kind, _none)(step))
    if step.write is not None:
        cells = [cell.of for _, cell in step.write.columns]
        yield from ((reference, True) for reference in references_in(cells))
        subjects = [cell for cell in cells if isinstance(cell, Subject)]
        yield from ((reference, True) for subject in subjects for reference in subject.references())
    expected = (*step.only_if, *(step.repeat.until if step.repeat else ()), *step.expect)
    yield from ((reference, False) for reference in references_of_checks(expected))
    for keep in step.keep:
        yield from ((reference, True) for reference in keep.of.references())


def _none(step: Step) -> Iterator[Reference]:
    return iter(())


def _sent(step: Request) -> Iterator[Reference]:
    sent: list[object] = [
        step.address,
        [value for _, value in step.query],
        [value for _, value in step.headers],
    ]
    if step.auth is not None:
        sent.append(step.auth.parts)
    yield from references_in(sent)
    yield from _in_body(step.body)
    yield from references_in(step.options.trees())


def _in_body(body: Body | None) -> Iterator[Reference]:
    if body is None:
        return
    content = body.content
    if isinstance(content, JsonText):
        yield from references_in(
            [piece[0] for piece in content.pieces if not isinstance(piece, str)]
        )
    elif isinstance(content, XmlText):
        for piece in content.pieces:
            if not isinstance(piece, str):
                yield piece[0]
                yield from piece[0].inner()
    elif body.kind == "form":
        yield from references_in([value for _, value in content])
    elif body.kind == "multipart":
        yield from references_in(
            [text for part in content for text in (part.name, part.text, part.file) if text]
        )
    else:
        yield from references_in(content)


def asks(items: Iterable[Expectation]) -> bool:
    """Whether checks ask the request or the answer beyond their subjects: `[=sent ...]`, `[=answer
    ...]`."""
    return any(reference.asks is not None for reference in references_of_checks(items))


def references_of_checks(items: Iterable[Expectation]) -> Iterator[Reference]:
    """Every reference of checks and groups; a value that is only asked to be there, or not, need
    not be known."""
    items = tuple(items)
    for check in checks_in(items):
        yield from references_in_expected(check.expected)
        if check.of.kind == "value" and check.relation not in ("present", "absent"):
            yield named(str(check.of.argument))
    for subject in subjects_in(items):
        yield from subject.references()


def handed_over(case: Case) -> frozenset[str]:
    """Names that some step keeps and a later one uses: a step that keeps one of these is a
    hand-over step."""
    used: set[str] = set()
    for _, _, step in case.parts():
        used |= {reference.name for reference, _ in references_of(step)}
    used |= {reference.name for reference in references_in(case.own_trees())}
    return frozenset(used)


def asked_for(step: Step) -> frozenset[str]:
    """The names that a step only asks about: `value portCallId is present`."""
    items = (*step.only_if, *step.expect)
    return frozenset(
        named(str(check.of.argument)).name for check in checks_in(items) if check.of.kind == "value"
    )


def used_names(step: Step) -> frozenset[str]:
    """The names that a step's references stand for."""
    return frozenset(reference.name for reference, _ in references_of(step))


OWN: dict[str, Callable[[Any], Iterator[Reference]]] = {
    "request": _sent,
    "look up": lambda step: references_in(step.asked.trees()),
    "set": lambda step: references_in([tree for _, tree in step.values]),
    "shared": lambda step: references_in([tree for _, tree in step.given]),
    "for each": lambda step: references_in(step.of),
}
"""What each kind of step holds beside its condition, checks, keeps and what it writes."""
