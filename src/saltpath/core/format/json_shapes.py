"""What the JSON Schemas of the format are made of."""

from __future__ import annotations

from typing import Any

COUNT = {"type": "integer", "minimum": 0}
TEXT: dict[str, Any] = {"type": "string", "minLength": 1}
FLAG: dict[str, Any] = {"type": "boolean"}
SCALAR: dict[str, Any] = {"type": ["string", "number", "boolean"]}
DURATION: dict[str, Any] = {
    "type": "string",
    "pattern": r"^\s*\d+(\.\d+)?\s*(us|ms|s|min|h|day|days)\s*$",
}
SIZE: dict[str, Any] = {"type": "string", "pattern": r"^\s*\d+(\.\d+)?\s*(B|kB|MB|GB)\s*$"}
VERDICT: dict[str, Any] = {"enum": ["passed", "failed", "blocked", "skipped", "unchecked"]}
NAMES = {"pattern": r"^[^\W\d_][\w-]*$"}


def object_of(
    required: tuple[str, ...], properties: dict[str, Any], open: bool = False
) -> dict[str, Any]:
    return {
        "type": "object",
        "required": list(required),
        "properties": properties,
        "additionalProperties": open,
    }


def list_of(items: dict[str, Any]) -> dict[str, Any]:
    return {"type": "array", "items": items}
