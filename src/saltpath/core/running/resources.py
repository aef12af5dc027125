"""What exchanges make at a service and take away again, so that a run can say what it left there.

An answer of 201 to POST, PUT or PATCH says that something was made, and `Location` where (RFC 9110,
9.3.3, 9.3.4 and 15.3.2). Many services say it otherwise: by a link to itself in the answer, or by
an identity that stands below the address that was asked. What only looks so is told as a guess.
"""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from functools import lru_cache
from typing import Any, Literal
from urllib.parse import quote, unquote, urljoin, urlsplit

from msgspec import Struct

from saltpath.core.answers.exchange import MASK, Exchange, origin_of
from saltpath.core.values import plain

MOST_READ = 64_000
"""Octets of an answer in which an identity is looked for."""
_MAKING = frozenset(["POST", "PUT", "PATCH"])
_TOLD_BY = _MAKING | {"DELETE"}
_MISSING = frozenset([404, 410])
_LINKS = (
    ("_links", "self", "href"),
    ("links", "self", "href"),
    ("links", "self"),
    ("@odata.id",),
    ("self",),
    ("href",),
)
"""Where answers link to what they speak of."""
_IDENTITIES = ("id", "_id", "uuid", "guid")
_LONGEST = 200
_Key = tuple[tuple[str, str, int | None], str, str]

How = Literal["location", "address", "link", "identity"]
"""How it is known where something stands: by the answer's Location, as the address that was asked
itself, by the answer's link to itself, by its identity below what was asked."""


class ResourceEvent(Struct, frozen=True, array_like=True):
    """An exchange that made something at `address`, or (`gone`) took it away. `at`: UTC
    microseconds."""

    at: int
    method: str
    status: int
    address: str
    how: How = "address"
    gone: bool = False
    elsewhere: bool = False
    """It stands at another origin than the one that was asked."""

    @property
    def is_sure(self) -> bool:
        """Whether the service itself said that it was made: no other answer than 201 does. One
        that tells where it stands is good enough."""
        return self.status == 201 or self.how == "location"

    @property
    def is_masked(self) -> bool:
        """Whether a secret stood in its address, so that nobody can be sent there."""
        return MASK in self.address or quote(MASK) in self.address


def resource_events(exchanges: Iterable[Exchange]) -> tuple[ResourceEvent, ...]:
    """What each of a step's exchanges made or took away. Of an address that cannot be taken apart,
    since a secret stood in its host or port, nothing is known."""
    return tuple(event for one in exchanges if (event := _read(one)) is not None)


def _read(exchange: Exchange) -> ResourceEvent | None:
    if exchange.method.upper() not in _TOLD_BY or exchange.why is not None:
        return None
    try:
        return _event(exchange)
    except ValueError:
        return None


def _event(exchange: Exchange) -> ResourceEvent | None:
    method, status = exchange.method.upper(), exchange.status
    if method == "DELETE":
        if 200 <= status < 300 or status in _MISSING:
            return _of(exchange, exchange.address, "address", gone=True)
        return None
    if method not in _MAKING or not 200 <= status < 300 or status == 202:
        return None
    place = _header(exchange, "location")
    if not place and status == 201:
        place = _header(exchange, "content-location")
    address = _joined(exchange.address, place) if place else ""
    if address and (method != "POST" or not _holds(address, exchange.address)):
        return _of(exchange, address, "location")
    if method != "POST":
        return _of(exchange, exchange.address, "address") if status == 201 else None
    found = _told(exchange)
    return None if found is None else _of(exchange, *found)


def _of(exchange: Exchange, address: str, how: How, gone: bool = False) -> ResourceEvent:
    address = address.partition("#")[0]
    return ResourceEvent(
        exchange.begun_us,
        exchange.method.upper(),
        exchange.status,
        address,
        how,
        gone,
        origin_of(address) != origin_of(exchange.address),
    )


def _joined(base: str, place: str) -> str:
    """The address that an answer links to; empty of a link that leads nowhere."""
    try:
        address = urljoin(base, place)
        parts = urlsplit(address)
        port = parts.port
    except ValueError:
        return ""
    usable = parts.scheme in ("http", "https") and parts.hostname and port != 0
    return address if usable else ""


def _header(exchange: Exchange, wanted: str) -> str:
    return next((value for name, value in exchange.headers if name.lower() == wanted), "")


def _told(exchange: Exchange) -> tuple[str, How] | None:
    """Where the answer says that what was made stands."""
    if not exchange.body or len(exchange.body) > MOST_READ:
        return None
    try:
        document = plain.read_json(exchange.body)
    except plain.NotPlain:
        return None
    for held in _objects(document):
        for way in _LINKS:
            link = _at(held, way)
            address = _joined(exchange.address, link) if isinstance(link, str) else ""
            is_here = address and origin_of(address) == origin_of(exchange.address)
            if is_here and not _holds(address, exchange.address):
                return address, "link"
    base = exchange.address.partition("?")[0].partition("#")[0].rstrip("/")
    for held in _objects(document):
        for name in (*_IDENTITIES, *_named_after(base)):
            identity = held.get(name)
            if _is_identity(identity):
                return f"{base}/{quote(str(identity), safe='', errors='surrogatepass')}", "identity"
    return None


def _holds(address: str, asked: str) -> bool:
    """Whether it is what was asked itself, or holds it: a collection is nothing that was made in
    it, and goes with everything that it has."""
    (origin, path, _), (other, inside, _) = _key(address), _key(asked)
    return origin == other and (path == inside or inside.startswith(f"{path}/"))


def _objects(document: Any) -> list[dict[str, Any]]:
    """The answer's object, and the one that it wraps if there is just one."""
    if not isinstance(document, dict):
        return []
    inner = [value for value in document.values() if isinstance(value, dict)]
    return [document, *(inner if len(inner) == 1 else [])]


def _at(held: Any, way: tuple[str, ...]) -> Any:
    for name in way:
        held = held.get(name) if isinstance(held, dict) else None
    return held


def _named_after(base: str) -> list[str]:
    """What an identity is called after the collection: `bookings` gives `bookingId`."""
    collection = unquote(base.rpartition("/")[2])
    if not re.fullmatch(r"[A-Za-z][\w-]*", collection):
        return []
    words = re.split(r"[-_]", collection)
    last = words[-1]
    one = last[:-3] + "y" if last.endswith("ies") else last.removesuffix("s")
    joined = [*words[:-1], one]
    camel = joined[0] + "".join(word.capitalize() for word in joined[1:])
    return [f"{camel}Id", f"{camel}ID", "_".join([*joined, "id"])]


def _is_identity(value: Any) -> bool:
    if isinstance(value, bool):
        return False
    if isinstance(value, int):
        return value >= 0
    return isinstance(value, str) and 0 < len(value) <= _LONGEST and not re.search(r"\s", value)


# ---- what is left of them


_ITSELF = "?"


def left(events: Iterable[ResourceEvent]) -> list[ResourceEvent]:
    """What was made and not taken away again after that, each once, in the order in which it was
    made. With what it stands in it goes, too; and a thing may be taken away at an address of its
    own, which ends as that where it was made does (`/ports/2/calls/17`, `/calls/17`)."""
    made: dict[_Key, ResourceEvent] = {}
    gone: dict[object, int] = {}
    missing: dict[object, int] = {}  # where it was only not found
    for event in sorted(events, key=lambda one: one.at):
        key = _key(event.address)
        if event.gone:
            went = missing if event.status == 404 else gone
            for each in (key, (*key[:2], _ITSELF), _tail(key)):
                went[each] = event.at
        else:
            made.pop(key, None)
            made[key] = event
    return [one for key, one in made.items() if not _went(one, key, gone, missing)]


def _went(
    event: ResourceEvent, key: _Key, gone: dict[object, int], missing: dict[object, int]
) -> bool:
    for each in _goes_with(key):
        # nothing at an address that was guessed says nothing
        if gone.get(each, -1) >= event.at or (
            event.how != "identity" and missing.get(each, -1) >= event.at
        ):
            return True
    return False


def _goes_with(key: _Key) -> Iterator[object]:
    """What a thing goes with: itself, at either address, and what it stands in."""
    origin, path, query = key
    yield key
    yield _tail(key)
    if not query:
        yield (origin, path, _ITSELF)  # the query of the other signs in
    while path.count("/") > 1:
        path = path.rpartition("/")[0]
        yield (origin, path, "")


def _key(address: str) -> _Key:
    """What an address is told apart by: origin, path, query, however they are written. Raises
    ValueError."""
    scheme, _, rest = address.partition("://")
    end = next((at for at, char in enumerate(rest) if char in "/?"), len(rest))
    path, _, query = rest[end:].partition("?")
    if "%" in path:  # a stroke that is written otherwise divides nothing
        path = "/".join(_plainly(part) for part in path.split("/"))
    return _known_origin(f"{scheme}://{rest[:end]}"), path.rstrip("/"), query


_known_origin = lru_cache(512)(origin_of)
"""A run asks few of them, each thousands of times."""


def _plainly(part: str) -> str:
    return unquote(part).replace("%", "%25").replace("/", "%2F")


def _tail(key: _Key) -> object:
    """The collection and the identity at the end of an address; of one without both itself."""
    origin, path, query = key
    parts = path.rsplit("/", 2)
    return key if query or len(parts) < 3 else (origin, *parts[1:], _ITSELF)
