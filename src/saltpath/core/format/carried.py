"""Comments when a document was edited as data: they go along with the step or the check that they
stand above."""

from __future__ import annotations

import re
from collections.abc import Mapping
from typing import Any

from saltpath.core.values.plain import same

_PARTS = ("once", "steps", "afterwards", "at the end")
_STEP = re.compile(rf"({'|'.join(_PARTS)})\[(\d+)\](.*)", re.DOTALL)
_ITEM = re.compile(r"\.expect\[(\d+)\](.*)", re.DOTALL)


def carried(
    before: Mapping[str, Any], after: Mapping[str, Any], comments: Mapping[str, list[str]]
) -> dict[str, list[str]]:
    """`comments` of `before` (lines by document path) under the paths of `after`. Those of what is
    gone are gone."""
    moved: dict[str, list[str]] = {}
    for path, lines in comments.items():
        found = _STEP.fullmatch(path)
        new = path if found is None else _moved(before, after, found[1], int(found[2]), found[3])
        if new is not None:
            moved.setdefault(new, []).extend(lines)
    return moved


def _moved(
    before: Mapping[str, Any], after: Mapping[str, Any], part: str, index: int, rest: str
) -> str | None:
    old = _items(before, part)[index : index + 1]
    key = old[0].get("key") if old and isinstance(old[0], dict) else None
    for new_part in (part, *(other for other in _PARTS if other != part)):
        for place, step in enumerate(_items(after, new_part)):
            if isinstance(step, dict) and key is not None and step.get("key") == key:
                inner = _in_step(old[0], step, rest)
                return None if inner is None else f"{new_part}[{place}]{inner}"
    return None


def _in_step(old: Mapping[str, Any], new: Mapping[str, Any], rest: str) -> str | None:
    """The path within the step; a check is known by being the same, else by standing in the same
    place."""
    found = _ITEM.fullmatch(rest)
    if found is None:
        return rest
    place = int(found[1])
    before, after = _items(old, "expect"), _items(new, "expect")
    alike = [
        index
        for index, check in enumerate(after)
        if place < len(before) and same(check, before[place])
    ]
    if alike:
        return f".expect[{min(alike, key=lambda index: abs(index - place))}]{found[2]}"
    return f".expect[{place}]{found[2]}" if len(after) == len(before) else None


def _items(holder: Mapping[str, Any], key: str) -> list[Any]:
    items = holder.get(key)
    return items if isinstance(items, list) else []
