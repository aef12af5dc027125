"""Memory that was freed, given back to the machine."""

from __future__ import annotations

import ctypes


def give_memory_back() -> None:
    """What glibc's allocator holds and nothing uses goes back, wherever it lies: by itself it gives
    back only what lies at the heap's end, which one small piece is enough to hold. It takes
    milliseconds."""
    trim = getattr(ctypes.CDLL(None), "malloc_trim", None)
    if trim is not None:
        trim(0)
