"""What is wrong with a case before it runs: unknown values, hand-overs in the wrong order, steps without checks,
addresses and secrets written out. Nothing is sent."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass
from typing import Literal

from saltpath.core.case import (
    Body,
    Case,
    Expectation,
    JsonText,
    Keep,
    NamedValues,
    Place,
    Request,
    SetValues,
    Step,
    Suite,
    XmlText,
    checks_in,
    subjects_in,
)
from saltpath.core.checks.loose import references_in_expected
from saltpath.core.grammar import Unreadable
from saltpath.core.nearest import nearest
from saltpath.core.references import BUILT_IN, Reference, compile_tree, references_in
from saltpath.core.why import Why, why

Weight = Literal["error", "warning"]


@dataclass(frozen=True, slots=True)
class Finding:
    """One thing to mend. An `error` would block a step; a `warning` is a matter of care. `name` is the value meant."""

    weight: Weight
    why: Why
    place: Place
    step: str = ""

    @property
    def sentence(self) -> str:
        return self.why.sentence


@dataclass(frozen=True, slots=True)
class Surroundings:
    """The names that a case sees from outside: of run, suite and project (environments included)."""

    run: frozenset[str] = frozenset()
    suite: frozenset[str] = frozenset()
    project: frozenset[str] = frozenset()


def surroundings(
    run: Iterable[str], suite: Suite | None, project: NamedValues, others: Iterable[NamedValues]
) -> Surroundings:
    """Names of the values around a case; a name that any environment gives is known."""
    of_suite = (suite.values, *suite.values_in.values()) if suite else ()
    return Surroundings(frozenset(run), _names(of_suite), _names((project, *others)))


def _names(several: Iterable[NamedValues]) -> frozenset[str]:
    return frozenset(name for values in several for name in (*values.values, *values.secret))


def inspect(case: Case, around: Surroundings) -> list[Finding]:
    """Every finding, in the order of the document."""
    findings: list[Finding] = []
    kept_at = _kept_at(case)
    used: set[str] = set()
    known_by_scope = {
        "run": around.run,
        "case": frozenset({*case.values.values, *case.values.secret}),
        "suite": around.suite,
        "project": around.project,
        "kept": frozenset(kept_at),
    }
    for name, value in case.values.values.items():
        try:
            tree = compile_tree(value)
        except Unreadable:
            continue
        place = Place(f"values.{name}", case.place.line)
        used |= {reference.name for reference in references_in(tree)}
        findings += _secret_text(name, value, place)
    for number, (_, _, step) in enumerate(case.parts(), 1):
        own = {keep.name for keep in step.keep} if isinstance(step, Request) else set()
        for reference, late in references_of(step):
            used.add(reference.name)
            finding = _unknown(reference, number, step, known_by_scope, kept_at, own if not late else set())
            if finding is not None:
                findings.append(finding)
        if isinstance(step, Request):
            findings += _of_request(step)
    findings += _unused(case, used)
    return findings


def _kept_at(case: Case) -> dict[str, list[tuple[int, str]]]:
    """Where each name is kept or set: step numbers (from 1) and names."""
    kept: dict[str, list[tuple[int, str]]] = {}
    for number, (_, _, step) in enumerate(case.parts(), 1):
        if step.off:
            continue
        names = [keep.name for keep in step.keep] if isinstance(step, Request) else []
        if isinstance(step, SetValues):
            names = [name for name, _ in step.values]
        for name in names:
            kept.setdefault(name, []).append((number, step.name))
    return kept


def references_of(step: Step) -> Iterator[tuple[Reference, bool]]:
    """Every reference of a step; the flag says whether it is resolved when the values of this very step may be kept already."""
    if isinstance(step, SetValues):
        for _, tree in step.values:
            yield from ((reference, False) for reference in references_in(tree))
    if not isinstance(step, Request):
        yield from ((reference, False) for reference in references_of_checks(step.only_if))
        return
    sent: list[object] = [step.address, [value for _, value in step.query], [value for _, value in step.headers]]
    if step.auth is not None:
        sent.append(step.auth.parts)
    for reference in references_in(sent):
        yield reference, False
    for reference in _in_body(step.body):
        yield reference, False
    options = step.options
    for template in (options.proxy, options.certificate.password if options.certificate else None):
        if template is not None:
            yield from ((reference, False) for reference in template.references())
    expected = (*step.only_if, *(step.repeat.until if step.repeat else ()), *step.expect)
    yield from ((reference, False) for reference in references_of_checks(expected))
    for keep in step.keep:
        yield from ((reference, True) for reference in keep.of.references())


def _in_body(body: Body | None) -> Iterator[Reference]:
    if body is None:
        return
    content = body.content
    if isinstance(content, JsonText):
        yield from references_in([piece[0] for piece in content.pieces if not isinstance(piece, str)])
    elif isinstance(content, XmlText):
        for piece in content.pieces:
            if not isinstance(piece, str):
                yield piece[0]
                yield from piece[0].inner()
    elif body.kind == "form":
        yield from references_in([value for _, value in content])
    elif body.kind == "multipart":
        yield from references_in([text for part in content for text in (part.name, part.text, part.file) if text])
    else:
        yield from references_in(content)


def asks(items: Iterable[Expectation]) -> bool:
    """Whether checks ask the request or the answer beyond their subjects: `[=sent ...]`, `[=answer ...]`."""
    return any(reference.asks is not None for reference in references_of_checks(items))


def references_of_checks(items: Iterable[Expectation]) -> Iterator[Reference]:
    """Every reference of checks and groups; a value that is only asked to be there, or not, need not be known."""
    items = tuple(items)
    for check in checks_in(items):
        yield from references_in_expected(check.expected)
        if check.of.kind == "value" and check.relation not in ("present", "absent"):
            scope, dot, rest = str(check.of.argument).partition(".")
            yield Reference(str(check.of.argument), scope if dot else None, rest if dot else scope)
    for subject in subjects_in(items):
        yield from subject.references()


def _unknown(
    reference: Reference,
    number: int,
    step: Step,
    known: dict[str, frozenset[str]],
    kept_at: dict[str, list[tuple[int, str]]],
    own: set[str],
) -> Finding | None:
    name = reference.name
    if not name or reference.full_name in BUILT_IN:
        return None
    if any(pipe.name == "default" for pipe in reference.pipes):
        return None
    wider = [reference.scope] if reference.scope else ["run", "case", "suite", "project"]
    if any(name in known.get(scope, ()) for scope in wider if scope != "kept"):
        return None
    places = kept_at.get(name, []) if reference.scope in (None, "kept") else []
    before = [place for place in places if place[0] < number or (place[0] == number and name not in own)]
    if before:
        return None
    if places and places[0][0] == number:
        return Finding("error", why("own-answer", name=name), step.place, step.name)
    if places:
        later, title = places[0]
        return Finding("error", why("used-before-kept", name=name, step=later, title=title), step.place, step.name)
    near = nearest(name, [candidate for names in known.values() for candidate in names])
    hint = f"; did you mean {near}?" if near else ""
    return Finding("error", why("kept-nowhere", name=reference.full_name, near=hint), step.place, step.name)


_ORIGIN = re.compile(r"[a-z]+://[^/?#]+", re.IGNORECASE)
_ADDRESS = re.compile(r"^https?://", re.IGNORECASE)
_SECRET_NAME = re.compile(r"passw|secret|token|api.?key|credential", re.IGNORECASE)
_SECRET_HEADER = re.compile(r"^(authorization|cookie|x-api-key|proxy-authorization)$", re.IGNORECASE)


def _of_request(step: Request) -> Iterator[Finding]:
    if step.off:
        return
    judged = [check for check in step.expect if not check.off and not check.advice]
    if not judged and step.place.path.startswith("steps"):
        yield Finding("warning", why("no-checks"), step.place, step.name)
    first = step.address.parts[0] if step.address.parts else ""
    if isinstance(first, str) and _ADDRESS.match(first):
        yield Finding(
            "warning",
            why("hard-coded-address", address=first, name=origin[0] if (origin := _ORIGIN.match(first)) else first),
            step.place,
            step.name,
        )
    for name, value in step.headers:
        if _SECRET_HEADER.match(name) and value.fixed:
            yield Finding("warning", why("secret-in-text", name=f"the header {name}"), step.place, step.name)
    if step.auth is not None and step.auth.parts[2 if step.auth.kind == "oauth2" else -1].fixed:
        yield Finding("warning", why("secret-in-text", name=f"the {step.auth.kind} sign-in"), step.place, step.name)


def _secret_text(name: str, value: object, place: Place) -> Iterator[Finding]:
    if isinstance(value, str) and value and "[=" not in value and _SECRET_NAME.search(name):
        yield Finding("warning", why("secret-in-text", name=name), place)


def _unused(case: Case, used: set[str]) -> Iterator[Finding]:
    for _, _, step in case.parts():
        keeps: tuple[Keep, ...] = step.keep if isinstance(step, Request) else ()
        for keep in keeps:
            if keep.name not in used and not step.off:
                yield Finding("warning", why("unused-keep", name=keep.name), keep.place, step.name)


def handed_over(case: Case) -> frozenset[str]:
    """Names that some step keeps and a later one uses: a step that keeps one of these is a hand-over step."""
    used: set[str] = set()
    for _, _, step in case.parts():
        used |= {reference.name for reference, _ in references_of(step)}
    return frozenset(used)


def asked_for(step: Step) -> frozenset[str]:
    """The names that a step only asks about: `value portCallId is present`."""
    items = (*step.only_if, *(step.expect if isinstance(step, Request) else ()))
    return frozenset(
        str(check.of.argument).rpartition(".")[2] for check in checks_in(items) if check.of.kind == "value"
    )


def used_names(step: Step) -> frozenset[str]:
    """The names that a step's references stand for."""
    return frozenset(reference.name for reference, _ in references_of(step))
