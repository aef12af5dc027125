"""What can stand in a reference that is being typed, each with what it would be: generators drawn
from a run's seed, and pipes on the real value. Nothing here decides; the tester picks."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

from msgspec import Struct

from saltpath.core.paths import offloading
from saltpath.core.references import generators, pipes
from saltpath.core.references.scopes import Scopes
from saltpath.core.references.templates import read_template
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.why import Blocked

MOST_LETTERS = 80
# seldom what is looked for; they come last
_CODES = frozenset(["base64", "from base64", "sha256", "url", "json"])


class Offered(Struct, frozen=True):
    """`text` stands between `[=` and `]`; `value` is what it gives now, shown; `about` says what it
    does. `made`: it is generated."""

    text: str
    value: str
    about: str
    made: bool = False


def offered(typed: str, scopes: Scopes) -> Iterator[Offered]:
    """For what is typed after `[=`: pipes behind the last bar, generators without one. Only what
    fits the value there."""
    source, bar, last = typed.rpartition("|")
    if not bar:
        yield from _generators(typed.strip(), scopes)
        return
    base, wanted = source.strip(), last.strip().lower()
    own = f"{base} | {last.strip()}"
    value = _shown(own, scopes) if wanted else None
    if value is not None:
        yield Offered(own, value, "as typed")
    before = _shown(base, scopes)
    found: list[tuple[int, Offered]] = []
    for kind in pipes.KINDS.values():
        text = f"{base} | {kind.example[1]}"
        if kind.by_name or wanted not in kind.name or text == own:
            continue
        value = _shown(text, scopes)
        if value is not None:
            rank = 2 if kind.name in _CODES else 1 if value == before else 0
            found.append((rank, Offered(text, value, kind.about)))
    yield from (item for _, item in sorted(found, key=lambda pair: pair[0]))


def fit(typed: str, path: str, shown: str, send: str) -> int | None:
    """How well a place of an answer fits what is typed, 0 the best; None if it does not. `path` is
    the place, `shown` its value as it is shown, `send` the request that was answered: a place is
    also offered under a name made of both (`vesselId`)."""
    wanted = typed.strip().lower()
    last = _LAST.search(path)
    if not wanted or (last and last[0].lower().startswith(wanted)):
        return 0
    if wanted in path.lower():
        return 1
    around = f"{path} {send}".lower()
    words = [word.lower() for word in _WORDS.findall(typed)] if _NAME.fullmatch(wanted) else []
    if words and all(word in around or word.removesuffix("y") in around for word in words):
        return 2
    return 3 if wanted in shown.lower() else None


_LAST = re.compile(r"[^\W\d][\w-]*(?=\W*$)")
_NAME = re.compile(r"\w+")
_WORDS = re.compile(r"[^\W\d_][^\W\d_A-Z]*")
"""Words of a name as `vesselId`; digits at its end only tell it from another one."""


def _generators(typed: str, scopes: Scopes) -> Iterator[Offered]:
    own = _shown(typed, scopes) if typed.split(" ")[0] in generators.FIRST_WORDS else None
    if own is not None:
        yield Offered(typed, own, "as typed", made=True)
    for kind in generators.KINDS.values():
        if typed.lower() not in kind.example.lower() or kind.example == typed:
            continue
        value = _shown(kind.example, scopes)
        if value is not None:
            yield Offered(kind.example, value, kind.about, made=True)


def _shown(text: str, scopes: Scopes) -> str | None:
    """What a reference gives, cut; None where it gives nothing, or would take long."""
    try:
        template = read_template(f"[={text}]")
        if template.single is None:
            return None
        with offloading.deferred({}):
            value: Any = scopes.resolve(template.single)
    except (
        Unreadable,
        Blocked,
        offloading.Slow,
        ArithmeticError,
        ValueError,
        TypeError,
        LookupError,
        AttributeError,
    ):
        return None
    return plain.show(value, MOST_LETTERS)
