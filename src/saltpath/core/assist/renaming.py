"""A value called otherwise, wherever it is meant: in references, as the name of a signature's
secret, as the subject of a check."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from saltpath.core.cases.case import Case

Document = dict[str, Any]
_SUBJECTS = ("of", "for each", "keep")
_OWN = (
    "json",
    "is",
    "is not",
    "contains",
    "fits",
    "fits exactly",
    "schema",
    "set",
    "with",
    "values",
)


def renaming(name: str, to: str, scope: str, bare: bool) -> Callable[[Any], Any]:
    """A function that gives a document, or any part of one, with the value of `scope` (`suite` or
    `project`) under its new name. `bare`: whether the name without a scope means it, too."""
    prefix = rf"(?:{scope}\.)?" if bare else rf"{scope}\."
    old = re.escape(name)
    reference = re.compile(rf"(\[=\s*{prefix}){old}(?=\s*[\]|])")
    signed = re.compile(rf"(\|\s*hmac-sha256 {prefix}){old}(?=\s*[\]|])")
    subject = re.compile(rf"(value {prefix}){old}(?=\s*(?:\||$))")

    def inside(text: str) -> str:
        if "[=" not in text:
            return text
        return signed.sub(rf"\g<1>{to}", reference.sub(rf"\g<1>{to}", text))

    def looked_at(held: Any) -> Any:
        """A subject, or subjects by name."""
        if isinstance(held, dict):
            return {
                key: renamed(inner) if isinstance(inner, dict) else looked_at(inner)
                for key, inner in held.items()
            }
        return subject.sub(rf"\g<1>{to}", inside(held)) if isinstance(held, str) else renamed(held)

    def told(held: Any) -> Any:
        """A tester's own values, in which nothing is a subject."""
        if isinstance(held, dict):
            return {inside(key): told(inner) for key, inner in held.items()}
        if isinstance(held, list):
            return [told(inner) for inner in held]
        return inside(held) if isinstance(held, str) else held

    def renamed(held: Any) -> Any:
        if isinstance(held, dict):
            return {inside(key): way(key)(inner) for key, inner in held.items()}
        if isinstance(held, list):
            return [renamed(inner) for inner in held]
        return inside(held) if isinstance(held, str) else held

    def written(held: Any) -> Any:
        """A row of an output table, whose columns are looked at as what is kept is."""
        return (
            {**held, "columns": looked_at(held["columns"])}
            if isinstance(held, dict) and "columns" in held
            else held
        )

    def way(key: str) -> Callable[[Any], Any]:
        return (
            looked_at
            if key in _SUBJECTS
            else told
            if key in _OWN
            else written
            if key == "write"
            else renamed
        )

    return renamed


def means_another(case: Case, name: str) -> bool:
    """Whether the name without a scope means something of the case itself there: its own value, an
    input, what a step keeps."""
    own = {*case.values.values, *case.values.secret, *(item.name for item in case.inputs)}
    return name in own or any(name in step.keeps() for _, _, step in case.parts())
