"""The keys by which a case and its steps are known, over rename, move and export."""

from __future__ import annotations

from typing import Any

from saltpath.core.cases.case import PARTS
from saltpath.store.database import new_key


def with_keys(document: dict[str, Any]) -> dict[str, Any]:
    """The document with a key for the case and for every step that has none, or shares one."""
    document = dict(document)
    if not document.get("key"):
        document["key"] = new_key(10)
    seen: set[str] = set()
    for part in PARTS:
        if not isinstance(document.get(part), list):
            continue
        document[part] = [_with_key(step, seen) for step in document[part]]
    return document


def _with_key(step: Any, seen: set[str]) -> Any:
    """The step with a key of its own, and those inside it with theirs."""
    if not isinstance(step, dict):
        return step
    key = step.get("key")
    if not isinstance(key, str) or key in seen:
        kind = next(iter(step))
        step = {
            kind: step[kind],
            "key": new_key(6),
            **{k: v for k, v in step.items() if k not in (kind, "key")},
        }
    seen.add(step["key"])
    if isinstance(step.get("steps"), list):
        step = {**step, "steps": [_with_key(inner, seen) for inner in step["steps"]]}
    return step
