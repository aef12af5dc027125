"""Which exchanges of a recorded session a test is about.

What a browser recorded is mostly not what a tester wants to test: pictures, scripts, other people's
hosts, questions that the browser asks for itself. Nothing is decided in silence: what is left out
has its reason, and so has a page that is needed.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping, Sequence
from typing import Any
from urllib.parse import urlsplit

from msgspec import Struct

from saltpath.core.assist.handed_over import HandOver, handed_over
from saltpath.core.assist.recorded import Recorded, ends_with, heads_of
from saltpath.core.values import plain
from saltpath.core.values.nearest import listed
from saltpath.core.values.why import Why, why

_FILES = frozenset(
    "image font stylesheet script media manifest texttrack beacon ping cspviolationreport".split()
)
_FILE_TYPES = (
    "image/",
    "font/",
    "audio/",
    "video/",
    "text/css",
    "text/javascript",
    "application/javascript",
    "application/x-javascript",
    "application/font",
    "application/x-font",
    "application/wasm",
    "application/manifest+json",
)


class Story(Struct, frozen=True):
    """What of a recording a case is proposed of."""

    site: str
    """The one taken for the API's; empty where there is none."""
    sites: tuple[tuple[str, int], ...]
    """Every site with the number of its exchanges, most first."""
    left_out: dict[int, Why]
    """By number, why an exchange is not proposed; the others are."""
    pages: dict[int, Why]
    """By number, why a page is proposed though it is no data."""
    hand_overs: tuple[HandOver, ...]
    """The values that want to be handed over, in the order of the requests."""


def story(entries: Sequence[Recorded], site: str = "") -> Story:
    """What a case is about. `site`: the API's, where somebody chose it; else it is guessed."""
    counts: dict[str, int] = {}
    for entry in entries:
        counts[site_of(entry.address)] = counts.get(site_of(entry.address), 0) + 1
    site = site if site in counts else _site_of_the_api(entries)
    left = _left_out(entries, site)
    hand_overs = tuple(handed_over(entries))
    pages = _pages_needed(entries, left, hand_overs)
    left = {number: reason for number, reason in left.items() if number not in pages}
    return Story(
        site, tuple(sorted(counts.items(), key=lambda item: -item[1])), left, pages, hand_overs
    )


def _left_out(entries: Sequence[Recorded], site: str) -> dict[int, Why]:
    found: dict[int, Why] = {}
    earlier: dict[tuple[str, str, str, bytes], int] = {}
    heads, ends = heads_of(entries), ends_with(entries)
    for entry in entries:
        head = heads[entry.number]
        followed = head != entry.number
        reason = (
            why("recorded-hop", entry=head)
            if followed
            else _not_for_a_case(entry, ends[entry.number], site)
        )
        if reason is None:
            same = earlier.setdefault(
                (entry.method, entry.address, _text(entry.step), entry.body), entry.number
            )
            if same != entry.number:
                reason = why("recorded-again", entry=same)
        if reason is not None:
            found[entry.number] = reason
    return found


def _pages_needed(
    entries: Sequence[Recorded], left: Mapping[int, Why], hand_overs: Iterable[HandOver]
) -> dict[int, Why]:
    """Pages that set a cookie which a proposed request sends, or alone hold a value that it sends;
    and what those need."""
    heads = heads_of(entries)
    wanted: dict[int, list[HandOver]] = {}
    for item in hand_overs:
        wanted.setdefault(item.number, []).append(item)
    setters: dict[tuple[str, str], int] = {}
    reasons: dict[int, dict[str, list[str]]] = {}

    def needed(number: int, code: str, what: str) -> None:
        reason = left.get(heads[number])
        if reason is not None and reason.code == "recorded-page":
            names = reasons.setdefault(heads[number], {}).setdefault(code, [])
            names.extend([what] if what not in names else [])

    senders: list[tuple[Recorded, list[tuple[int, str]]]] = []
    for entry in entries:
        senders.append(
            (entry, [(setters[pair], pair[0]) for pair in entry.cookies_sent if pair in setters])
        )
        setters |= dict.fromkeys(entry.cookies_set, entry.number)
    for entry, cookies in reversed(senders):  # what is needed stands before what needs it
        if entry.number in left and entry.number not in reasons:
            continue
        for number, name in cookies:
            needed(number, "recorded-sets", name)
        for item in wanted.get(entry.number, ()):
            if all(
                heads[place] in left and heads[place] not in reasons for place, _ in item.sources
            ):
                needed(item.sources[0][0], "recorded-holds", item.literal)
    return {number: _needed_for(found) for number, found in sorted(reasons.items())}


def _needed_for(found: Mapping[str, list[str]]) -> Why:
    """What a page is needed for; where it sets a cookie and holds a value, too, the cookie is
    said."""
    code = "recorded-sets" if "recorded-sets" in found else "recorded-holds"
    return why(code, names=listed([name[:40] for name in found[code]]))


def _text(step: Mapping[str, Any]) -> str:
    return plain.write_json(dict(step)).decode()


def _not_for_a_case(entry: Recorded, end: Recorded, site: str) -> Why | None:
    """`end`: what it ends with when its redirects are followed."""
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
    if entry.body_missing:
        return why("recorded-no-body", what=entry.body_missing)
    if entry.method in ("GET", "HEAD") and (
        end.is_page or (end.target and end.kind in ("document", ""))
    ):
        return why("recorded-page")
    return None


def _site_of_the_api(entries: Sequence[Recorded]) -> str:
    """The pages' own site, if data went to it; else where most different requests for data went
    that were signed in; else where most went at all. Data: JSON or XML came back, or something was
    sent. The first of equals."""
    pages = next(
        (
            site_of(entry.address)
            for entry in entries
            if entry.is_page and entry.kind in ("document", "")
        ),
        "",
    )
    asked: dict[str, tuple[set[str], set[str]]] = {}
    for entry in entries:
        signed, all_of_it = asked.setdefault(site_of(entry.address), (set(), set()))
        if _is_data(entry):
            request = f"{entry.method} {entry.address.partition('?')[0]}"
            all_of_it.add(request)
            if "authorization" in entry.headers:
                signed.add(request)

    def rank(site: str) -> tuple[bool, int, int]:
        signed, all_of_it = asked[site]
        return site == pages and bool(all_of_it), len(signed), len(all_of_it)

    return max(asked, key=rank, default="")


def _is_data(entry: Recorded) -> bool:
    if not entry.status or entry.kind in _FILES:
        return False
    if entry.method not in ("GET", "HEAD"):
        return entry.method != "OPTIONS"
    is_file = urlsplit(entry.address).path.endswith((".json", ".xml", ".webmanifest"))
    return not is_file and (
        "json" in entry.media_type or (entry.media_type.endswith("xml") and not entry.is_page)
    )


def site_of(address: str) -> str:
    """The part of a host that one owner has, as a rule of thumb: its last two names, three below
    the likes of co.uk; an IP address and a single name as they are."""
    host = (urlsplit(address).hostname or "").rstrip(".")
    names = host.split(".")
    if len(names) < 3 or ":" in host or names[-1].isdigit():
        return host
    short = len(names[-1]) == 2 and len(names[-2]) <= 3
    return ".".join(names[-3 if short else -2 :])
