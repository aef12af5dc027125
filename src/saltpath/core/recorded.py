"""A recorded session: which of its exchanges a test is about, and which values one answer hands to later requests.

What a browser recorded is mostly not what a tester wants to test: pictures, scripts, other people's hosts, questions that the
browser asks for itself. Everything here works on exchanges as they were read; nothing is sent.
"""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urljoin, urlsplit

from saltpath.core import plain
from saltpath.core.repeated import literals
from saltpath.core.seen import places, telling
from saltpath.core.why import Why, why

LARGEST_ANSWER = 1_000_000
MOST_VALUES = 5_000
MOST_SOURCES = 8
_FILES = frozenset("image font stylesheet script media manifest texttrack beacon ping cspviolationreport".split())
_FILE_TYPES = ("image/", "font/", "audio/", "video/", "text/css", "text/javascript", "application/javascript",
               "application/x-javascript", "application/font", "application/x-font", "application/wasm",
               "application/manifest+json")  # fmt: skip


@dataclass(frozen=True, slots=True)
class Recorded:
    """One exchange of a recording. `step`: its request as a step's document; `status` 0: never answered; `kind`: what the browser
    called it, in small letters; `location`: where the answer led to."""

    number: int
    step: Mapping[str, Any]
    method: str
    address: str
    status: int
    media_type: str = ""
    body: bytes = b""
    kind: str = ""
    location: str = ""
    headers: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, slots=True)
class HandOver:
    """A literal of a later request that an earlier answer held. `sources`: (number, path), the nearest first, at most 8."""

    number: int
    literal: str
    sources: tuple[tuple[int, str], ...]


def left_out(entries: Sequence[Recorded]) -> dict[int, Why]:
    """By number, why an exchange is not proposed for a case; the others are."""
    site = _site_of_the_api(entries)
    found: dict[int, Why] = {}
    earlier: dict[tuple[str, str, str, bytes], int] = {}
    led: tuple[int, str] | None = None
    for entry in entries:
        followed = led is not None and entry.method == "GET" and entry.address == led[1]
        reason = why("recorded-hop", entry=led[0]) if followed and led else _not_for_a_case(entry, site)
        if reason is None:
            same = earlier.setdefault((entry.method, entry.address, _text(entry.step), entry.body), entry.number)
            if same != entry.number:
                reason = why("recorded-again", entry=same)
        if reason is not None:
            found[entry.number] = reason
        led = (led[0] if followed and led else entry.number, _target(entry)) if _target(entry) else None
    return found


def ends_with(entries: Sequence[Recorded]) -> dict[int, Recorded]:
    """By number of each exchange, the one that it ends with when its redirects are followed: itself without any."""
    ends = {entry.number: entry for entry in entries}
    led: list[tuple[int, str]] = []
    for entry in entries:
        led = [(number, _target(entry)) for number, target in led if entry.method == "GET" and entry.address == target]
        for number, _ in led:
            ends[number] = entry
        led = [(number, target) for number, target in [*led, (entry.number, _target(entry))] if target]
    return ends


def handed_over(entries: Sequence[Recorded]) -> list[HandOver]:
    """The literals of requests that earlier answers held, in the order of the requests. What a request up to that answer said already
    was known before, and is none."""
    said: dict[str, int] = {}
    held: dict[str, list[tuple[int, str]]] = {}
    found: list[HandOver] = []
    for entry in entries:
        for text in dict.fromkeys(literals(entry.step)):
            if text in held and text not in said:
                found.append(HandOver(entry.number, text, tuple(reversed(held[text][-MOST_SOURCES:]))))
        for text in literals(entry.step):
            if text not in held:
                said.setdefault(text, entry.number)
        for text, path in _values(entry):
            if text not in said:
                held.setdefault(text, []).append((entry.number, path))
    return found


def _values(entry: Recorded) -> Iterator[tuple[str, str]]:
    """The telling values of an answer, each with its first place."""
    if entry.body.lstrip()[:1] not in (b"{", b"[") or len(entry.body) > LARGEST_ANSWER:
        return
    try:
        document = plain.read_json(entry.body)
    except plain.NotPlain:
        return
    known: set[str] = set()
    for count, (path, value) in enumerate(places(document)):
        if count >= MOST_VALUES:
            return
        text = telling(value)
        if text and text not in known:
            known.add(text)
            yield text, path


def _text(step: Mapping[str, Any]) -> str:
    return plain.write_json(dict(step)).decode()


def _target(entry: Recorded) -> str:
    """Where a redirect led to; empty for any other answer."""
    if entry.status not in (301, 302, 303, 307, 308) or not entry.location:
        return ""
    return urljoin(entry.address, entry.location).partition("#")[0]


def _not_for_a_case(entry: Recorded, site: str) -> Why | None:
    if not entry.status:
        return why("recorded-unanswered")
    if entry.method == "OPTIONS" and "access-control-request-method" in entry.headers:
        return why("recorded-preflight")
    if site_of(entry.address) != site:
        return why("recorded-elsewhere", host=urlsplit(entry.address).hostname or "?", site=site)
    if entry.media_type == "text/event-stream" or entry.kind == "eventsource":
        return why("recorded-stream")
    if entry.kind in _FILES or entry.media_type.startswith(_FILE_TYPES):
        return why("recorded-file", what=entry.kind or entry.media_type)
    if entry.media_type in ("text/html", "application/xhtml+xml") and entry.method in ("GET", "HEAD"):
        return why("recorded-page")
    return None


def _site_of_the_api(entries: Sequence[Recorded]) -> str:
    """The site that most exchanges with data went to: JSON or XML came back, or something was sent. The first of equals."""
    counts: dict[str, int] = {}
    for entry in entries:
        is_data = "json" in entry.media_type or entry.media_type.endswith("xml") or entry.method not in ("GET", "HEAD")
        site = site_of(entry.address)
        counts[site] = counts.get(site, 0) + (1 if is_data and entry.status and entry.kind not in _FILES else 0)
    return max(counts, key=lambda site: counts[site], default="")


def site_of(address: str) -> str:
    """The part of a host that one owner has, as a rule of thumb: its last two names, three below the likes of co.uk; an IP
    address and a single name as they are."""
    host = (urlsplit(address).hostname or "").rstrip(".")
    names = host.split(".")
    if len(names) < 3 or ":" in host or names[-1].isdigit():
        return host
    short = len(names[-1]) == 2 and len(names[-2]) <= 3
    return ".".join(names[-3 if short else -2 :])
