"""The library that reads and writes XLSX, imported when it is first needed: it brings numpy, and
takes a third of a second."""

from __future__ import annotations

from functools import cache
from typing import Any


@cache
def openpyxl() -> Any:
    """The module, with its cells and styles."""
    import openpyxl
    import openpyxl.cell
    import openpyxl.styles

    return openpyxl
