"""What is wrong with a case before it runs: unknown values, hand-overs in the wrong order, steps
without checks, addresses and secrets written out. Nothing is sent."""

from __future__ import annotations

import re
from collections import Counter
from collections.abc import Callable, Iterable, Iterator
from typing import Any, Literal

from msgspec import Struct
from msgspec.structs import replace

from saltpath.core.cases.case import Auth, Case, LookUp, NamedValues, Request, Step, Suite
from saltpath.core.cases.expectations import Place, checks_in
from saltpath.core.cases.statement import no_database
from saltpath.core.checks.doubts import doubt
from saltpath.core.references.templates import Reference, compile_tree, references_in
from saltpath.core.running.inherited import levels, values_of_suite
from saltpath.core.running.prepare import unfilled
from saltpath.core.running.step_references import own_references
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import nearest
from saltpath.core.values.why import Why, why

Weight = Literal["error", "warning"]


class Finding(Struct, frozen=True):
    """One thing to mend. An `error` would block a step; a `warning` is a matter of care. `name` is
    the value meant."""

    weight: Weight
    why: Why
    place: Place
    step: str = ""

    @property
    def sentence(self) -> str:
        return self.why.sentence


class Surroundings(Struct, frozen=True):
    """The names that a case sees from outside: of run, suite and project (environments
    included)."""

    run: frozenset[str] = frozenset()
    suite: frozenset[str] = frozenset()
    project: frozenset[str] = frozenset()
    columns: frozenset[str] | None = None
    """Of the file that the rows come from; None: they are not known here."""
    databases: frozenset[str] | None = None
    """Of the project; None: they are not known here."""


def surroundings(
    run: Iterable[str], suite: Suite | None, project: NamedValues, others: Iterable[NamedValues]
) -> Surroundings:
    """Names of the values around a case; a name that any environment gives is known."""
    handed = frozenset(name for level in levels(suite) for name in level.handed)
    of_suite = _names(values_of_suite(suite)) | handed
    return Surroundings(frozenset(run), of_suite, _names((project, *others)))


def _names(several: Iterable[NamedValues]) -> frozenset[str]:
    return frozenset(name for values in several for name in (*values.values, *values.secret))


def inspect(case: Case, around: Surroundings) -> list[Finding]:
    """Every finding, in the order of the document."""
    findings: list[Finding] = []
    kept_at = _kept_at(case)
    used: set[str] = set()
    known_by_scope = {
        "run": around.run,
        "case": frozenset(
            {*case.values.values, *case.values.secret, *(item.name for item in case.inputs)}
        ),
        "suite": around.suite,
        "project": around.project,
        "kept": frozenset(kept_at),
    }
    columns = columns_of(case, around)
    if columns is not None:
        known_by_scope["row"] = columns
    for name, value in case.values.values.items():
        try:
            tree = compile_tree(value)
        except Unreadable:
            continue
        where = Place(f"values.{name}", case.place.line)
        used |= {reference.name for reference in references_in(tree)}
        findings += _secret_text(name, value, where)
    if case.auth is not None:
        findings += _written_sign_in(case.auth, Place("auth", case.place.line), "")
    items = _items_around(case)
    for place, (number, step) in enumerate(case.every_step(), 1):
        own = {keep.name for keep in step.keep}
        for reference, late in own_references(step):
            used.add(reference.name)
            if reference.scope is None and reference.name in items[number]:
                continue
            finding = _unknown(
                reference, place, step, known_by_scope, kept_at, own if not late else set()
            )
            if finding is not None:
                findings.append(_of_inherited(finding, reference, step))
        if step.kind in OF_KIND:
            findings += OF_KIND[step.kind](step, around)
        if step.problem is not None and not step.off:
            findings.append(Finding("error", step.problem, step.place, step.name))
    findings += _signed_elsewhere(case)
    used |= {reference.name for reference in references_in(case.own_trees())}
    findings += _unused(case, used)
    return findings


def columns_of(case: Case, around: Surroundings) -> frozenset[str] | None:
    """The columns of the case's rows; None if they cannot be known before it runs."""
    if case.rows is None:
        return frozenset()
    said = case.rows.columns_said()
    return around.columns if said is None else frozenset(said)


def _items_around(case: Case) -> dict[str, frozenset[str]]:
    """By a step's number, the names of the items that it stands inside of."""
    around: dict[str, frozenset[str]] = {}
    names: dict[str, str] = {}
    for number, step in case.every_step():
        outer = number.rpartition(".")[0]
        around[number] = around[outer] | ({names[outer]} - {""}) if outer else frozenset()
        names[number] = step.item_name
    return around


def _kept_at(case: Case) -> dict[str, list[tuple[int, str]]]:
    """Where each name is kept or set: places in the order of execution (from 1) and names."""
    kept: dict[str, list[tuple[int, str]]] = {}
    for place, (_, step) in enumerate(case.every_step(), 1):
        if step.off or step.inside:
            continue
        for name in step.keeps():
            kept.setdefault(name, []).append((place, step.name))
    return kept


def _unknown(
    reference: Reference,
    number: int,
    step: Step,
    known: dict[str, frozenset[str]],
    kept_at: dict[str, list[tuple[int, str]]],
    own: set[str],
) -> Finding | None:
    name = reference.name
    if not name or reference.built_in:
        return None
    if any(pipe.name == "default" for pipe in reference.pipes):
        return None
    wider = [reference.scope] if reference.scope else ["run", "row", "case", "suite", "project"]
    if "row" in wider and "row" not in known:
        return None
    if any(name in known.get(scope, ()) for scope in wider if scope != "kept"):
        return None
    places = kept_at.get(name, []) if reference.scope in (None, "kept") else []
    before = [
        place for place in places if place[0] < number or (place[0] == number and name not in own)
    ]
    if before:
        return None
    if places and places[0][0] == number:
        return Finding("error", why("own-answer", name=name), step.place, step.name)
    if places:
        later, title = places[0]
        return Finding(
            "error",
            why("used-before-kept", name=name, step=later, title=title),
            step.place,
            step.name,
        )
    near = nearest(name, [candidate for names in known.values() for candidate in names])
    hint = f"; did you mean {near}?" if near else ""
    return Finding(
        "error", why("kept-nowhere", name=reference.full_name, near=hint), step.place, step.name
    )


_ORIGIN = re.compile(r"[a-z]+://[^/?#]+", re.IGNORECASE)
_ADDRESS = re.compile(r"^https?://", re.IGNORECASE)
_SECRET_NAME = re.compile(r"passw|secret|token|api.?key|credential", re.IGNORECASE)
_SECRET_HEADER = re.compile(
    r"^(authorization|cookie|x-api-key|proxy-authorization)$", re.IGNORECASE
)


def _of_request(step: Request) -> Iterator[Finding]:
    if step.off:
        return
    judged = [check for check in step.expect if not check.off and not check.advice]
    if not judged and step.place.path.startswith("steps"):
        yield Finding("warning", why("no-checks"), step.place, step.name)
    yield from _doubts(step)
    place = unfilled(step.address)
    if place:
        yield Finding("error", why("unfilled", place=place), step.place, step.name)
    first = step.address.parts[0] if step.address.parts else ""
    if isinstance(first, str) and _ADDRESS.match(first):
        yield Finding(
            "warning",
            why(
                "hard-coded-address",
                address=first,
                name=origin[0] if (origin := _ORIGIN.match(first)) else first,
            ),
            step.place,
            step.name,
        )
    for name, value in step.headers:
        if _SECRET_HEADER.match(name) and value.fixed:
            reason = why("secret-in-text", name=f"the header {name}", at="header", called=name)
            yield Finding("warning", reason, step.place, step.name)
    if step.auth is not None and not step.signed_by:
        yield from _written_sign_in(step.auth, step.place, step.name)


def _written_sign_in(auth: Auth, place: Place, name: str) -> Iterator[Finding]:
    if auth.parts and auth.parts[2 if auth.kind == "oauth2" else -1].fixed:
        said = f"the {auth.kind} sign-in"
        reason = why("secret-in-text", name=said, at="sign-in", called=auth.kind)
        yield Finding("warning", reason, place, name)


def _signed_elsewhere(case: Case) -> Iterator[Finding]:
    """Steps that a sign-in of something around them reaches, and that go elsewhere than most of
    those do: somebody else would learn it."""
    signed = [
        step
        for _, step in case.every_step()
        if isinstance(step, Request) and step.signed_by and not step.off
    ]
    places = Counter(_goes_to(step) for step in signed)
    if len(places) < 2:
        return
    usual = places.most_common(1)[0][0]
    for step in signed:
        place = _goes_to(step)
        if place != usual:
            reason = why("signed-elsewhere", origin=step.signed_by, place=place, usual=usual)
            yield Finding("warning", reason, step.place, step.name)


def _goes_to(step: Request) -> str:
    """The value that a request's address begins with, or the origin that is written out there."""
    first = step.address.parts[0] if step.address.parts else ""
    if not isinstance(first, str):
        return first.full_name
    origin = _ORIGIN.match(first)
    return origin[0] if origin else first


def _of_inherited(finding: Finding, reference: Reference, step: Step) -> Finding:
    """What is wrong with a value that only the sign-in around the step needs is mended at the
    step."""
    early = finding.why.code in ("own-answer", "used-before-kept")
    if not early or not isinstance(step, Request) or step.auth is None or not step.signed_by:
        return finding
    if reference not in list(references_in(step.auth.parts)):
        return finding
    return replace(finding, why=why("signs-in-early", name=reference.name, origin=step.signed_by))


def _doubts(step: Step) -> Iterator[Finding]:
    """Checks that can never hold, or never fail."""
    for check in checks_in(step.expect):
        reason = None if check.off or check.advice else doubt(check)
        if reason is not None:
            yield Finding("warning", reason, check.place, step.name)


def _of_lookup(step: LookUp, around: Surroundings) -> Iterator[Finding]:
    if step.off:
        return
    if not any(
        not check.off and not check.advice for check in step.expect
    ) and step.place.path.startswith("steps"):
        yield Finding("warning", why("no-checks"), step.place, step.name)
    if around.databases is not None and step.database not in around.databases:
        yield Finding("error", no_database(step.database, around.databases), step.place, step.name)


def _secret_text(name: str, value: object, place: Place) -> Iterator[Finding]:
    if isinstance(value, str) and value and "[=" not in value and _SECRET_NAME.search(name):
        yield Finding("warning", why("secret-in-text", name=name, at="value", called=name), place)


def _unused(case: Case, used: set[str]) -> Iterator[Finding]:
    for _, step in case.every_step():
        keeps = step.keep
        for keep in keeps:
            if keep.name not in used and not step.off:
                yield Finding("warning", why("unused-keep", name=keep.name), keep.place, step.name)


OF_KIND: dict[str, Callable[[Any, Surroundings], Iterable[Finding]]] = {
    "request": lambda step, _: _of_request(step),
    "look up": _of_lookup,
}
"""What is looked at in a kind of step alone."""
