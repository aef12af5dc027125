"""Pipes: what cleans a value on its way, `[=vesselName | trim | cut 0 to 5]`.

A table of small functions: one entry, one example that a test runs and that documentation and
completion show. To add one, write it into the module it belongs to.
"""

from __future__ import annotations

from saltpath.core.references.pipes import codes, lists, numbers, texts, times
from saltpath.core.references.pipes.table import (
    KINDS,
    PATTERN_LIMIT_S,
    Context,
    PipeKind,
    apply_pipes,
    read_pipe,
)

__all__ = [
    "KINDS",
    "PATTERN_LIMIT_S",
    "Context",
    "PipeKind",
    "apply_pipes",
    "codes",
    "lists",
    "numbers",
    "read_pipe",
    "texts",
    "times",
]
