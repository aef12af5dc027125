"""The shapes that the API gives and takes, as JSON Schema, by their names."""

from __future__ import annotations

from typing import Any

from saltpath.server.shapes import case, data, incoming, project, run

SHAPES: dict[str, Any] = {
    **project.SHAPES,
    **case.SHAPES,
    **data.SHAPES,
    **incoming.SHAPES,
    **run.SHAPES,
}
