"""Stored cases as the core reads them. A version never changes, so the last ones are remembered."""

from __future__ import annotations

import threading
from collections import OrderedDict

from saltpath.core.case import Case
from saltpath.core.format.reader import case_from_data
from saltpath.store.cases import StoredCase

MOST = 64
_lock = threading.Lock()
_known: OrderedDict[tuple[str, int], Case] = OrderedDict()


def compiled(stored: StoredCase) -> Case:
    """The case at its stored version. Raises FormatError."""
    name = (stored.oid, stored.version)
    with _lock:
        found = _known.get(name)
        if found is not None:
            _known.move_to_end(name)
            return found
    return remember(stored, case_from_data(stored.document))


def remember(stored: StoredCase, case: Case) -> Case:
    """Note what a version reads as, where that is known from checking it before it was stored."""
    with _lock:
        _known[stored.oid, stored.version] = case
        while len(_known) > MOST:
            _known.popitem(last=False)
    return case
