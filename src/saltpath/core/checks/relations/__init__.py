"""Relations: what a check says of its subject. A table, one entry a relation, each with an example
that a test runs and that documentation and completion show; what it compares with is an operand.
To add one, write it into the module it belongs to: see docs/development/adding.md.
"""

from __future__ import annotations

from saltpath.core.checks.relations import equality, measures, shapes, texts, times, whole
from saltpath.core.checks.relations.shapes import VALUE_KINDS
from saltpath.core.checks.relations.table import TABLE, Relation, Setting, Test, opposites, phrases

__all__ = [
    "TABLE",
    "VALUE_KINDS",
    "Relation",
    "Setting",
    "Test",
    "equality",
    "measures",
    "opposites",
    "phrases",
    "shapes",
    "texts",
    "times",
    "whole",
]
