"""The shapes that the API gives, as JSON Schema, by their names."""

from __future__ import annotations

from typing import Any

from saltpath.server.shapes import case, data, incoming, people, project, run, trends, watching


def gathered(*parts: dict[str, Any]) -> dict[str, Any]:
    """All of them. Raises ValueError where two have a name in common: one would hide the other."""
    found: dict[str, Any] = {}
    for part in parts:
        doubled = sorted(found.keys() & part.keys())
        if doubled:
            raise ValueError(f"there are two shapes {doubled[0]}; call one of them otherwise")
        found |= part
    return found


SHAPES = gathered(
    project.SHAPES,
    people.SHAPES,
    case.SHAPES,
    data.SHAPES,
    incoming.SHAPES,
    run.SHAPES,
    watching.SHAPES,
    trends.SHAPES,
)
"""The shapes that the API gives, by their names. What it takes is in `server/bodies.py`."""
