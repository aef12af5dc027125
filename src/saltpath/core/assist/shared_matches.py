"""Cases that have the steps of shared ones written out: found, whatever their names, and with a
step that uses these in their place."""

from __future__ import annotations

import re
from collections.abc import Mapping, Sequence
from typing import Any

from msgspec import Struct

from saltpath.core.assist.extract import without
from saltpath.core.cases.case import PARTS, Case
from saltpath.core.running.step_references import asked_for, references_of
from saltpath.core.values import plain

Document = dict[str, Any]
# names and marks, which change nothing of what a step does
_ASIDE = frozenset(["key", "request", "off", "note"])
_REFERENCE = re.compile(r"(\[=\s*)(?:kept\.|case\.)?([^\W\d_][\w-]*)(?=[\s\]|])")
_OUTPUT = re.compile(r"\[=\s*(?:kept\.)?([^\W\d_][\w-]*)\s*\]")


class Alike(Struct, frozen=True):
    """Steps of a case, by their keys, that do what shared steps do, and the case with these in
    their place."""

    keys: tuple[str, ...]
    document: Document


def alike(shared: Document, called: str, case: Case, document: Document) -> Alike | None:
    """The first steps of the case, one after another, that are the shared ones; None where there
    are none, or where something is kept in them that the shared ones do not give. `called`: the
    name by which cases use these."""
    wanted, names = _bare(shared.get("steps") or [])
    meant = {found[2] for found in _REFERENCE.finditer(plain.write_json(wanted).decode())}
    given = {name: _kept_as(value) for name, value in shared.get("outputs", {}).items()}
    for part in PARTS:
        steps = document.get(part) or []
        for begin in range(len(steps) - len(wanted) + 1):
            window = steps[begin : begin + len(wanted)]
            found, own = _bare(window)
            if not wanted or len(own) != len(names) or not plain.same(found, wanted):
                continue
            keys = tuple(str(step.get("key", "")) for step in window)
            called_here = dict(zip(names, own, strict=True))
            used = _used_elsewhere(case, keys)
            gives = {
                output: called_here[kept]
                for output, kept in given.items()
                if called_here.get(kept) in used
            }
            if used & set(own) - set(gives.values()):
                return None
            use: Document = {"shared": called}
            # What is a value of the case's own there is an input here, whatever it reads as by
            # default.
            needs = [name for name in shared.get("inputs", {}) if name in meant]
            if needs:
                use["with"] = {name: f"[={name}]" for name in needs}
            if gives:
                use["gives"] = gives
            return Alike(keys, without(document, keys, use))
    return None


def _kept_as(value: Any) -> str:
    """The kept value that an output is; empty where it is more than that."""
    found = _OUTPUT.fullmatch(value) if isinstance(value, str) else None
    return found[1] if found else ""


def _used_elsewhere(case: Case, keys: Sequence[str]) -> set[str]:
    found: set[str] = set()
    for _, _, step in case.parts():
        if step.key not in keys:
            found |= {reference.name for reference, _ in references_of(step)} | asked_for(step)
    kept = {name for _, _, step in case.parts() if step.key in keys for name in step.keeps()}
    return found & kept


def _bare(steps: Sequence[Mapping[str, Any]]) -> tuple[list[Any], list[str]]:
    """What steps do, without their names and keys, each kept value called by its place; and the
    names of these in order."""
    names: list[str] = []
    for step in steps:
        for field in ("keep", "set"):
            names += [name for name in step.get(field) or {} if name not in names]
        names += [name for name in (step.get("gives") or {}).values() if name not in names]
    places = {name: f"kept{at}" for at, name in enumerate(names)}

    def text(written: str) -> str:
        return _REFERENCE.sub(lambda found: found[1] + places.get(found[2], found[2]), written)

    def bare(held: Any, field: str = "") -> Any:
        if isinstance(held, Mapping):
            named = field in ("keep", "set")
            return {
                places.get(key, key) if named else key: bare(inner, key)
                for key, inner in held.items()
                if key not in _ASIDE or named
            }
        if isinstance(held, list):
            return [bare(inner) for inner in held]
        if isinstance(held, str):
            return places.get(held, held) if field == "gives" else text(held)
        return held

    return [bare(step) for step in steps], names
