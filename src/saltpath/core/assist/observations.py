"""What several answers of one step have shown, place by place; and which values of one answer later
requests repeat.

Everything here works on answers as they were read (JSON with exact numbers); nothing is sent,
nothing is guessed from one answer but what an answer makes anew by its nature: identities and the
present moment.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator, Sequence
from datetime import UTC, datetime, timedelta
from typing import Any

from msgspec import Struct, field

from saltpath.core.paths.jsonpath import MISSING, as_path
from saltpath.core.values import plain
from saltpath.core.values.measures import show_in
from saltpath.core.values.why import Why, why

MOST_PLACES = 3_000
MOST_VALUES = 8
_UUID = re.compile(r"[0-9a-fA-F]{8}-(?:[0-9a-fA-F]{4}-){3}[0-9a-fA-F]{12}")
_NEAR = timedelta(days=1)


class SeenPlace(Struct):
    """One place: in how many of the answers it was, the kinds and the distinct values that stood
    there (first ones first, at most 8 are kept; an object has none, a list its length), and why it
    had better be left loose."""

    path: str
    present: int = 0
    kinds: list[str] = field(default_factory=list)
    values: list[Any] = field(default_factory=list)
    distinct: int = 0
    loose: Why | None = None
    _texts: set[str] = field(default_factory=set)


def seen(answers: Sequence[tuple[Any, datetime]]) -> list[SeenPlace]:
    """The places of the answers (document, moment of the answer; newest first), in the order of the
    newest."""
    found: dict[str, SeenPlace] = {}
    for document, _ in answers:
        for path, value in places(document):
            place = found.get(path)
            if place is None:
                if len(found) >= MOST_PLACES:
                    continue
                place = found[path] = SeenPlace(path)
            _note(place, value)
    for place in found.values():
        place.loose = _loose(place, len(answers), answers[0][1])
    return list(found.values())


def places(document: Any) -> Iterator[tuple[str, Any]]:
    """Every place of a document but its root, parents first, in the document's order."""
    waiting: list[tuple[tuple[str | int, ...], Any]] = [((), document)]
    while waiting:
        location, value = waiting.pop()
        if location:
            yield as_path(location), value
        children: Iterable[tuple[str | int, Any]] = (
            value.items()
            if isinstance(value, dict)
            else enumerate(value)
            if isinstance(value, list)
            else ()
        )
        waiting += [((*location, key), child) for key, child in reversed(list(children))]


def _note(place: SeenPlace, value: Any) -> None:
    place.present += 1
    kind = plain.kind_of(value)
    if kind not in place.kinds:
        place.kinds.append(kind)
    if isinstance(value, dict):
        return
    shown = len(value) if isinstance(value, list) else value
    text = plain.write_json(shown).decode()
    if text in place._texts:
        return
    place._texts.add(text)
    place.distinct += 1
    if len(place.values) < MOST_VALUES:
        place.values.append(shown)


def _loose(place: SeenPlace, answers: int, moment: datetime) -> Why | None:
    if place.present < answers:
        return why("sometimes-there", present=place.present, answers=answers)
    if len(place.kinds) > 1:
        return why("several-kinds", kinds=" and ".join(place.kinds), answers=answers)
    if place.distinct > 1:
        return why("varied", values=place.distinct, answers=answers)
    value = place.values[0] if place.values else None
    if answers > 1 or not isinstance(value, str):
        return None
    if _UUID.fullmatch(value):
        return why("made-anew", what="an identity")
    return why("made-anew", what="the present moment") if _is_near(value, moment) else None


def _is_near(text: str, moment: datetime) -> bool:
    if len(text) < 16 or "T" not in text:
        return False
    try:
        found = datetime.fromisoformat(text)
    except ValueError:
        return False
    return abs((found if found.tzinfo else found.replace(tzinfo=UTC)) - moment) < _NEAR


MOST_SHOWN = 3


def in_words(values: Sequence[Any], unit: str = "") -> str:
    """What stood at one place in several answers (MISSING where nothing did), in a few words; empty
    for a single answer. `unit`: what they are measured in."""
    if len(values) < 2:
        return ""
    there = [value for value in values if value is not MISSING]
    gone = (
        f"; not there in {len(values) - len(there)} of {len(values)}"
        if len(there) < len(values)
        else ""
    )
    if not there:
        return f"never there in {len(values)}"
    texts = list(dict.fromkeys(show_in(value, unit, 60) for value in there))
    if len(texts) == 1:
        said = f"{texts[0]}, always"
    elif len(texts) <= MOST_SHOWN:
        said = " or ".join(texts)
    elif all(plain.is_number(value) for value in there):
        said = f"{show_in(min(there), unit)} to {show_in(max(there), unit)}"
    else:
        said = f"{len(texts)} different ones"
    return f"{said}, in {len(there)}{gone}"


def telling(value: Any) -> str:
    """A value as the text by which it is known again in a later request; empty where that would
    prove nothing (truth values, small numbers, short words)."""
    if isinstance(value, bool) or value is None or isinstance(value, dict | list):
        return ""
    text = value if isinstance(value, str) else plain.as_text(value)
    enough = len(text) >= 4 and (any(c.isdigit() for c in text) or len(text) >= 8)
    return text if enough and len(text) <= 200 else ""
