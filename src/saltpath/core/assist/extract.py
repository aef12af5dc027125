"""Some steps of a case as shared steps: what they need becomes inputs, what others use of them
outputs, and a step in their place uses them."""

from __future__ import annotations

import re
from collections.abc import Collection
from typing import Any

from msgspec import Struct

from saltpath.core.cases.case import PARTS, Case, Step
from saltpath.core.format.shared_reader import INPUT_KINDS
from saltpath.core.running.inherited import signed_in
from saltpath.core.running.step_references import asked_for, references_of
from saltpath.core.values import plain
from saltpath.core.values.errors import SaltPathError

Document = dict[str, Any]


class NotShareable(SaltPathError, ValueError):
    """Why these steps cannot be shared, in a sentence."""

    code = "not-shareable"


class Extracted(Struct, frozen=True):
    """The document of the shared steps, and that of the step that uses them in their place, whose
    name is still missing."""

    shared: Document
    use: Document


def extracted(case: Case, document: Document, keys: Collection[str], name: str) -> Extracted:
    """Make shared steps of those with these keys; what the case signs for them they then sign
    themselves. Raises NotShareable."""
    case = signed_in(case, None, None)
    every = [(part, step) for part, _, step in case.parts()]
    chosen = [index for index, (_, step) in enumerate(every) if step.key in keys]
    if len(chosen) != len(set(keys)) or not chosen:
        raise NotShareable(
            "Choose steps of this case; what stands inside another step goes with it."
        )
    part = every[chosen[0]][0]
    if any(every[index][0] != part for index in chosen):
        raise NotShareable(
            "Choose steps that run at the same time: once, in their turn, afterwards, or at the "
            "end."
        )
    own = [every[index][1] for index in chosen]
    needed = _needed(case, [step for _, step in every], chosen)
    kept = {kept_name for step in own for kept_name in step.keeps()}
    others = [step for index, (_, step) in enumerate(every) if index not in chosen]
    wanted = {found for step in others for found in (*_names(step), *asked_for(step))}
    outputs = [kept_name for step in own for kept_name in step.keeps() if kept_name in wanted]
    inside = [
        _signing(step, document.get("auth")) for step in document[part] if step.get("key") in keys
    ]
    shared: Document = {"salt-path": 1, "shared": name}
    if needed:
        shared["inputs"] = {item: _input(case, item) for item in needed}
    if outputs:
        shared["outputs"] = {output: f"[=kept.{output}]" for output in dict.fromkeys(outputs)}
    shared["steps"] = [_bare(step, needed, kept) for step in inside]
    use: Document = {"shared": ""}
    if needed:
        use["with"] = {item: f"[={item}]" for item in needed}
    if outputs:
        use["gives"] = {output: output for output in dict.fromkeys(outputs)}
    return Extracted(shared, use)


def _signing(step: Document, auth: Any) -> Document:
    """A step with the case's sign-in where it says none itself, as far as shared steps see nothing
    of it."""
    if auth in (None, "none"):
        return step
    if isinstance(step.get("steps"), list):
        return {**step, "steps": [_signing(inner, auth) for inner in step["steps"]]}
    return {**step, "auth": auth} if "request" in step and "auth" not in step else step


def _names(step: Step) -> set[str]:
    return {reference.name for reference, _ in references_of(step) if reference.name}


def _needed(case: Case, every: list[Step], chosen: list[int]) -> list[str]:
    """The names that the steps use and that only the case knows: kept before them, its own values,
    inputs. Raises NotShareable."""
    before = {name for index in range(chosen[0]) for name in every[index].keeps()}
    between = {
        name: every[index].name
        for index in range(chosen[0], chosen[-1])
        if index not in chosen
        for name in every[index].keeps()
    }
    of_case = {*case.values.values, *case.values.secret, *(item.name for item in case.inputs)}
    needed: dict[str, None] = {}
    kept: set[str] = set()
    for index in chosen:
        step = every[index]
        for name in sorted(_names(step)):
            if name in kept:
                continue
            if name in between:
                raise NotShareable(
                    f"“{between[name]}” stands between these steps and keeps {name}, which they "
                    "use; choose it, too."
                )
            if name in before or name in of_case:
                needed[name] = None
        asked = sorted(name for name in asked_for(step) - kept if name in before)
        if asked and not set(asked) <= set(needed):
            raise NotShareable(
                f"“{step.name}” asks whether {asked[0]} is there, which only this case knows."
            )
        kept |= set(step.keeps())
    return list(needed)


def _input(case: Case, name: str) -> Document:
    """The kind of an input, where a value of the case shows it."""
    value = case.values.values.get(name)
    kind = plain.kind_of(value)
    plainly = kind in INPUT_KINDS and not (isinstance(value, str) and "[=" in value)
    return {"kind": kind} if plainly else {}


def _bare(held: Any, needed: Collection[str], kept: Collection[str]) -> Any:
    """The steps with inputs in the place of what had the case's scopes in its reference."""
    if isinstance(held, dict):
        return {key: _bare(inner, needed, kept) for key, inner in held.items()}
    if isinstance(held, list):
        return [_bare(inner, needed, kept) for inner in held]
    if not isinstance(held, str) or "[=" not in held:
        return held
    names = "|".join(re.escape(name) for name in needed if name not in kept)
    return re.sub(rf"(\[=\s*)(?:kept|case)\.({names})(?=[\s\]|])", r"\1\2", held) if names else held


def without(document: Document, keys: Collection[str], use: Document) -> Document:
    """The case with the step that uses the shared ones in the place of the first of those with
    these keys, the others gone."""
    changed = dict(document)
    for part in PARTS:
        steps = document.get(part)
        if not isinstance(steps, list) or not any(step.get("key") in keys for step in steps):
            continue
        first = next(index for index, step in enumerate(steps) if step.get("key") in keys)
        rest = [step for step in steps[first:] if step.get("key") not in keys]
        changed[part] = [*steps[:first], use, *rest]
    return changed
