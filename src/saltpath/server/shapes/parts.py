"""What the shapes of the API are made of."""

from __future__ import annotations

from typing import Any

from saltpath.core.cases.case import PARTS

TEXT = {"type": "string"}
WHOLE = {"type": "integer"}
NUMBER = {"type": "number"}
FLAG = {"type": "boolean"}
TEXTS = {"type": "array", "items": TEXT}
WHOLES = {"type": "array", "items": WHOLE}
MAYBE_NUMBER = {"type": ["number", "null"]}
MAYBE_TEXT = {"type": ["string", "null"]}
VERDICT = {"type": "string", "enum": ["passed", "failed", "blocked", "skipped", "unchecked"]}
ROLE = {"type": "string", "enum": ["", "set up", "clean up"]}
MAYBE_VERDICT = {
    "type": ["string", "null"],
    "enum": ["passed", "failed", "blocked", "skipped", "unchecked", None],
}
RIGHTS: dict[str, Any] = {
    "type": "array",
    "items": {"type": "string", "enum": ["read", "run", "edit", "own"]},
}
STATE = {"type": "string", "enum": ["waiting", "running", "stopping", "finished"]}
PART = {"type": "string", "enum": list(PARTS)}


def ref(name: str) -> dict[str, Any]:
    """The shape of that name."""
    return {"$ref": f"#/components/schemas/{name}"}


def several(name: str) -> dict[str, Any]:
    """A list of that shape."""
    return {"type": "array", "items": ref(name)}


def maybe(name: str) -> dict[str, Any]:
    """That shape, or null."""
    return {"oneOf": [ref(name), {"type": "null"}]}


def shape(optional: tuple[str, ...] = (), /, **properties: Any) -> dict[str, Any]:
    """An object with these properties; all but the optional ones are there."""
    required = [name for name in properties if name not in optional]
    return {"type": "object", "required": required, "properties": properties}


RUN: Any = {
    "id": TEXT,
    "number": WHOLE,
    "kind": TEXT,
    "title": TEXT,
    "environment": TEXT,
    "environments": TEXTS,
    "seed": WHOLE,
    "build": TEXT,
    "note": TEXT,
    "state": STATE,
    "verdict": MAYBE_VERDICT,
    "stoppedBy": TEXT,
    "startedBy": TEXT,
    "askedAt": TEXT,
    "startedAt": MAYBE_TEXT,
    "finishedAt": MAYBE_TEXT,
    "ms": MAYBE_NUMBER,
    "counts": {"type": "object", "additionalProperties": WHOLE},
}
HEAD: Any = {
    "row": WHOLE,
    "part": PART,
    "index": WHOLE,
    "inner": TEXT,
    "place": TEXT,
    "verdict": VERDICT,
    "status": WHOLE,
    "ms": NUMBER,
    "size": WHOLE,
}
RULES: Any = dict.fromkeys(
    (
        "runDays",
        "leastRuns",
        "mostRuns",
        "evidenceDays",
        "badEvidenceDays",
        "trialDays",
        "eventDays",
        "watchDays",
        "watchEvidenceDays",
    ),
    WHOLE,
)
EVIDENCE: Any = {
    **HEAD,
    "at": TEXT,
    "name": TEXT,
    "kind": TEXT,
    "why": maybe("Reason"),
    "counts": FLAG,
    "attempts": WHOLE,
    "exchanges": several("Exchange"),
    "checks": several("Outcome"),
    "kept": several("Kept"),
    "used": several("Used"),
}
