"""What differs between two versions of a case's document, as sentences that a tester reads."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from saltpath.core.checks.typed import write_sentence
from saltpath.core.values import plain

Document = Mapping[str, Any]

TEMPLATES = {
    "case-named": "the case is called {after}, and was called {before}",
    "case-changed": "{field} of the case: {before} became {after}",
    "step-new": "{step} is new",
    "step-gone": "{step} is gone",
    "step-moved": "{step} stands at place {place}",
    "step-always": "{step} runs {part}",
    "step-named": "{step} was called {before}",
    "step-on": "{step} is switched on again",
    "step-off": "{step} is switched off",
    "step-changed": "{step}, {field}: {before} became {after}",
    "step-added": "{step}, {field} is new: {after}",
    "step-taken": "{step}, {field} is gone: {before}",
    "check-new": "{step} expects {check}",
    "check-gone": "{step} no longer expects {check}",
    "check-marked": "{step}, the check {check} is marked otherwise",
    "checks-ordered": "{step} has its checks in another order",
    "keep-new": "{step} keeps {of} as {name}",
    "keep-gone": "{step} no longer keeps {name}",
    "keep-changed": "{step} keeps {of} as {name}, and kept {before}",
}
_NAMED = ("request", "look up")
_KINDS = ("request", "look up", "set", "wait", "shared", "for each")
_PARTS = {
    "once": "once, before everything",
    "steps": "in its turn",
    "afterwards": "afterwards, always",
    "at the end": "at the end, always",
}
_EVERY = "every answer"
_OWN = ("key", "off", "expect", "keep", *_NAMED)


def differences(before: Document, after: Document) -> list[str]:
    """One sentence for each difference, the case's own first, then step by step as they stand in
    `after`."""
    found = _of_case(before, after)
    old, new = _steps(before), _steps(after)
    for key, (_, _, step) in old.items():
        if key not in new:
            found.append(_said("step-gone", step=_title(step)))
    order = [key for key in old if key in new]
    was = {key: place for place, key in enumerate(order)}
    moved = _moved([was[key] for key in new if key in was])
    for key, (part, index, step) in new.items():
        if key not in old:
            found.append(_said("step-new", step=_title(step)))
            continue
        if old[key][0] != part:
            found.append(
                _said("step-always", step=_title(step), part=_PARTS.get(part, "for each item"))
            )
        elif was[key] in moved:
            found.append(_said("step-moved", step=_title(step), place=index + 1))
        if not plain.same(old[key][2], step):
            found += _of_step(old[key][2], step)
    return found


def _said(code: str, **params: Any) -> str:
    return TEMPLATES[code].format_map(params)


def _of_case(before: Document, after: Document) -> list[str]:
    found = []
    name = "shared" if "shared" in after else "case"
    if before.get(name) != after.get(name):
        found.append(
            _said("case-named", before=_quoted(before.get(name)), after=_quoted(after.get(name)))
        )
    for field in dict.fromkeys([*before, *after]):
        if field in (name, "key", _EVERY, *_PARTS) or _same(before, after, field):
            continue
        values = {"before": _shown(before.get(field)), "after": _shown(after.get(field))}
        found.append(_said("case-changed", field=field, **values))
    return found + _of_checks(_EVERY, before.get(_EVERY) or [], after.get(_EVERY) or [])


def _steps(document: Document) -> dict[str, tuple[str, int, Document]]:
    """Part, place and step by key."""
    found: dict[str, tuple[str, int, Document]] = {}
    for part in _PARTS:
        for index, step in enumerate(document.get(part) or ()):
            _with_inner(found, part, index, step)
    return found


def _with_inner(
    found: dict[str, tuple[str, int, Document]], part: str, index: int, step: Document
) -> None:
    """The step, and those inside it, which stand in a part of their own."""
    key = str(step.get("key", f"{part}{index}"))
    inner = step.get("steps") or ()
    found[key] = (
        part,
        index,
        {name: value for name, value in step.items() if name != "steps"} if inner else step,
    )
    for place, below in enumerate(inner):
        _with_inner(found, key, place, below)


def _moved(places: list[int]) -> set[int]:
    """The fewest of the places that must be taken out so that the rest stands in its old order."""
    chains: list[list[int]] = []
    for place in places:
        fitting = [chain for chain in chains if chain[-1] < place]
        chains.append([*_longest(fitting), place])
    kept = set(_longest(chains))
    return {place for place in places if place not in kept}


def _longest(chains: list[list[int]]) -> list[int]:
    return max(chains, key=lambda chain: len(chain), default=[])


def _of_step(before: Document, after: Document) -> list[str]:
    step = _title(after)
    found = []
    for field in _NAMED:
        if field in before and field in after and before[field] != after[field]:
            found.append(_said("step-named", step=step, before=_quoted(before[field])))
    if bool(before.get("off")) != bool(after.get("off")):
        found.append(_said("step-off" if after.get("off") else "step-on", step=step))
    for field in dict.fromkeys([*before, *after]):
        if field in _OWN or _same(before, after, field):
            continue
        code = (
            "step-added"
            if field not in before
            else "step-taken"
            if field not in after
            else "step-changed"
        )
        values = {"before": _shown(before.get(field)), "after": _shown(after.get(field))}
        found.append(_said(code, step=step, field=field, **values))
    return (
        found
        + _of_checks(step, before.get("expect") or [], after.get("expect") or [])
        + _of_keeps(step, before.get("keep") or {}, after.get("keep") or {})
    )


def _of_checks(step: str, before: list[Document], after: list[Document]) -> list[str]:
    old, new = (
        [write_sentence(check) for check in before],
        [write_sentence(check) for check in after],
    )
    found = [_said("check-gone", step=step, check=text) for text in old if text not in new]
    for text, check in zip(new, after, strict=True):
        if text not in old:
            found.append(_said("check-new", step=step, check=text))
        elif not plain.same(before[old.index(text)], check):
            found.append(_said("check-marked", step=step, check=text))
    if not found and old != new:
        found.append(_said("checks-ordered", step=step))
    return found


def _of_keeps(step: str, before: Document, after: Document) -> list[str]:
    found = [_said("keep-gone", step=step, name=name) for name in before if name not in after]
    for name, of in after.items():
        if name not in before:
            found.append(_said("keep-new", step=step, of=_subject(of), name=name))
        elif not _same(before, after, name):
            found.append(
                _said(
                    "keep-changed",
                    step=step,
                    of=_subject(of),
                    name=name,
                    before=_subject(before[name]),
                )
            )
    return found


def _subject(of: Any) -> str:
    return str(of.get("of", "")) if isinstance(of, Mapping) else str(of)


def _same(before: Document, after: Document, field: str) -> bool:
    return (field in before) == (field in after) and plain.same(before.get(field), after.get(field))


def _title(step: Document) -> str:
    kind = next((kind for kind in _KINDS if kind in step), "step")
    return f"“{step[kind]}”" if kind in _NAMED else f"the step {kind} {_shown(step.get(kind))}"


def _quoted(value: Any) -> str:
    return f"“{value}”"


def _shown(value: Any) -> str:
    if value is None:
        return "nothing"
    return (
        plain.show(value, 160)
        if not isinstance(value, str)
        else value
        if len(value) < 160
        else value[:159] + "…"
    )
