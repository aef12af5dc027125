"""Values of a project and its suites as cells: one for everywhere, and one for each environment in
which they read otherwise.

A cell is a text. What reads as JSON is that (a number, true, null, a list), all else is text; a
text that would be read as something else stands in quotation marks. An empty cell says nothing: the
value reads as it does everywhere, or is missing there.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from typing import Any

from msgspec import Struct

from saltpath.core.cases.case import Case, NamedValues
from saltpath.core.references.templates import Reference, compile_tree, references_in
from saltpath.core.running.step_references import references_of, references_of_checks
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable

EVERYWHERE = ""
SECRET: dict[str, Any] = {"secret": True}
MOST_LETTERS = 100_000


def write_value(value: Any) -> str:
    """A value as the text of its cell."""
    if isinstance(value, str):
        return value if value and read_value(value) == value else plain.write_json(value).decode()
    return plain.write_json(value).decode()


def read_value(text: str) -> Any:
    """What the text of a cell stands for. Raises Unreadable for a reference that cannot be read."""
    stripped = text.strip()
    try:
        value = plain.read_json(stripped)
    except plain.NotPlain:
        value = text
    if len(text) > MOST_LETTERS:
        raise Unreadable(
            f"a value holds at most {MOST_LETTERS:,} letters; a file of the project holds more"
        )
    compile_tree(value)
    return value


def is_secret(value: Any) -> bool:
    """Whether a document names the value without holding it."""
    return isinstance(value, dict) and value.get("secret") is True


def with_value(document: Mapping[str, Any], name: str, value: Any) -> dict[str, Any]:
    """The document with a value in its place under `values`, or at their end; `...` takes it
    away."""
    changed = {
        key: held
        for key, held in document.get("values", {}).items()
        if key != name or value is not ...
    }
    if value is not ...:
        changed[name] = value
    rest = {key: held for key, held in document.items() if key != "values"}
    return {**rest, "values": changed} if changed else rest


def with_value_in(
    document: Mapping[str, Any], environment: str, name: str, value: Any
) -> dict[str, Any]:
    """The suite's document with a value as it reads in an environment."""
    every = dict(document.get("values in", {}))
    inside = with_value({"values": every.get(environment, {})}, name, value).get("values")
    if inside:
        every[environment] = inside
    else:
        every.pop(environment, None)
    rest = {key: held for key, held in document.items() if key != "values in"}
    return {**rest, "values in": every} if every else rest


class Wanted(Struct, frozen=True):
    """A name that is looked for outside of a case; `scope` where the reference says one."""

    name: str
    scope: str | None


def wanted_by(case: Case) -> frozenset[Wanted]:
    """The values of suite and project that a case uses: names that neither its own values nor a
    kept one hides."""
    own = {*case.values.values, *case.values.secret, *(item.name for item in case.inputs)}
    for _, _, step in case.parts():
        own |= set(step.keeps())
    found = set(_outside(references_in(_compiled(case.values)), own))
    for _, _, step in case.parts():
        found |= set(_outside((reference for reference, _ in references_of(step)), own))
    if case.auth is not None:
        found |= set(_outside(references_in(case.auth.parts), own))
    found |= set(
        _outside(
            references_in([*case.own_trees(), *case.options.trees()]),
            own,
        )
    )
    return frozenset(found | set(_outside(references_of_checks(case.every_answer), own)))


def wanted_by_values(values: NamedValues) -> frozenset[Wanted]:
    """The values that other values are made of."""
    return frozenset(_outside(references_in(_compiled(values)), set()))


def _compiled(values: NamedValues) -> list[Any]:
    trees = []
    for value in values.values.values():
        try:
            trees.append(compile_tree(value))
        except Unreadable:
            continue
    return trees


def _outside(references: Iterable[Reference], own: set[str]) -> Iterable[Wanted]:
    for reference in references:
        if reference.scope in ("suite", "project") or (
            reference.scope is None and reference.name and reference.name not in own
        ):
            yield Wanted(reference.name, reference.scope)
