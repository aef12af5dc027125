"""Which values one answer of a recorded session hands to later requests: written out they would be
old the next time.

A value is found wherever a subject can point at it: in a JSON body, in what a page hands to its own
forms and scripts, in a header, in a cookie.
"""

from __future__ import annotations

import re
from collections.abc import Iterator, Sequence
from urllib.parse import unquote, urlsplit

from msgspec import Struct

from saltpath.core.answers.facts import USUAL
from saltpath.core.answers.subjects import is_read
from saltpath.core.assist.observations import places, telling
from saltpath.core.assist.recorded import Recorded, heads_of
from saltpath.core.assist.repeated import literals
from saltpath.core.values import plain

LARGEST_ANSWER = 1_000_000
MOST_VALUES = 5_000
MOST_SOURCES = 8
_TAG = re.compile(r"<(input|meta)\b([^<>]{1,2000})>", re.IGNORECASE)
_ATTRIBUTE = re.compile(r"""\b(name|value|content)=("([^"<>&]*)"|'([^'<>&]*)')""", re.IGNORECASE)


class HandOver(Struct, frozen=True):
    """A literal of a later request that an earlier answer held."""

    number: int
    literal: str
    sources: tuple[tuple[int, str], ...]
    """(number, subject), the nearest first, at most 8."""


def handed_over(entries: Sequence[Recorded]) -> list[HandOver]:
    """The literals of requests that earlier answers held, in the order of the requests. What a
    request up to that answer said already was known before, and is none."""
    heads = heads_of(entries)
    said: dict[str, int] = {}
    held: dict[str, list[tuple[int, str]]] = {}
    found: list[HandOver] = []
    for entry in entries:
        if heads[entry.number] == entry.number:
            for text in dict.fromkeys(literals(entry.step)):
                if text in held and text not in said:
                    found.append(
                        HandOver(entry.number, text, tuple(reversed(held[text][-MOST_SOURCES:])))
                    )
            for text in literals(entry.step):
                if text not in held:
                    said.setdefault(text, entry.number)
        for text, subject in dict(_values(entry)).items():
            if text not in said:
                held.setdefault(text, []).append((heads[entry.number], subject))
    return found


def _values(entry: Recorded) -> Iterator[tuple[str, str]]:
    """The telling values of an answer as its step can ask for them, those in front that are found
    last."""
    for name, value in entry.cookies_set:
        if telling(value) and is_read(f"cookie {name}"):
            yield value, f"cookie {name}"
    if entry.target:  # the step sees the answer that this one leads to
        return
    for name, value in entry.answered:
        if (
            name not in USUAL
            and name != "location"
            and telling(value)
            and is_read(f"header {name}")
        ):
            yield value, f"header {name}"
        if name == "location" and telling(last := unquote(urlsplit(value).path.rpartition("/")[2])):
            yield last, f'header {name} | split "/" | last'
    if len(entry.body) > LARGEST_ANSWER:
        return
    if entry.is_page:
        yield from _of_page(entry.body.decode("utf-8", "replace"))
    elif entry.body.lstrip()[:1] in (b"{", b"["):
        yield from _of_json(entry.body)


def _of_json(body: bytes) -> Iterator[tuple[str, str]]:
    """Each value with its first place."""
    try:
        document = plain.read_json(body)
    except plain.NotPlain:
        return
    found: dict[str, str] = {}
    for count, (path, value) in enumerate(places(document)):
        if count >= MOST_VALUES:
            break
        if text := telling(value):
            found.setdefault(text, path)
    yield from found.items()


def _of_page(text: str) -> Iterator[tuple[str, str]]:
    """What a page's fields and `meta` elements hold under a name, by a pattern that finds it in the
    page's text."""
    for tag in _TAG.finditer(text):
        holds = "value" if tag[1].lower() == "input" else "content"
        found = {
            m[1].lower(): (m[0], m[3] if m[3] is not None else m[4], m.start())
            for m in _ATTRIBUTE.finditer(tag[2])
        }
        if "name" not in found or holds not in found or not telling(found[holds][1]):
            continue
        (name, _, at), (written, value, there) = found["name"], found[holds]
        mark = written[len(holds) + 1]
        wanted = f"{re.escape(written[: len(holds) + 2])}([^{mark}]*){mark}"
        between = "[^>]*"
        pattern = (
            re.escape(name) + between + wanted if at < there else wanted + between + re.escape(name)
        )
        if is_read(f"body ~ {pattern}"):
            yield value, f"body ~ {pattern}"
