"""Did you mean: the nearest name, and how names are listed in a sentence."""

from __future__ import annotations

from collections.abc import Iterable
from itertools import islice

MOST_LOOKED_AT = 10_000
MOST_COMPARED = 1_000
"""An answer may have a hundred thousand names; comparing each would hold up everything else for a
second."""


def nearest(name: str, known: Iterable[str]) -> str | None:
    """The known name most like `name`, or None if none is like it. Case and separators weigh
    little. Of very many names the first are looked at."""
    plain = _plain(name)
    names = list(dict.fromkeys(islice(known, MOST_LOOKED_AT)))
    for candidate in names:
        if _plain(candidate) == plain:
            return candidate
    alike = [
        candidate for candidate in names if 2 * abs(len(candidate) - len(name)) <= len(name) + 2
    ]
    by_plain = {_plain(candidate): candidate for candidate in reversed(alike[:MOST_COMPARED])}
    import difflib  # only a mistake needs it

    found = difflib.get_close_matches(plain, list(by_plain), n=1, cutoff=0.6)
    return by_plain[found[0]] if found else None


def listed(names: Iterable[str], most: int = 6) -> str:
    """`a, b and c`; more than `most` names end in `and N more`."""
    all_names = list(names)
    if not all_names:
        return "nothing"
    if len(all_names) == 1:
        return all_names[0]
    if len(all_names) <= most:
        return ", ".join(all_names[:-1]) + " and " + all_names[-1]
    return ", ".join(all_names[:most]) + f" and {len(all_names) - most} more"


def _plain(name: str) -> str:
    return name.lower().replace("_", "").replace("-", "").replace(" ", "")
