"""A browser's recording (HAR 1.2) as exchanges with their request steps.

Browsers and other makers write the format with small liberties, so every entry is read for itself:
what cannot be taken along is said of that entry, and the others stand.
"""

from __future__ import annotations

import base64
import binascii
import json
import re
from email.message import Message
from email.parser import BytesParser
from email.policy import HTTP
from typing import Any
from urllib.parse import urlsplit

from msgspec import Struct, field

from saltpath.core.assist.recorded import Recorded
from saltpath.core.references.templates import literal
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.request_step import Part, RequestStep

LARGEST = 60_000_000
MOST_ENTRIES = 2_000
_METHOD = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]{1,40}")
_NAME = re.compile(r"[!#$%&'*+.^_`|~0-9A-Za-z-]+")
# What a browser says of itself, of its page and of its cache, and what tracing adds by its open
# standards: no test is about it.
_NOISE = frozenset(
    "accept-encoding accept-language b3 baggage cache-control connection content-length cookie "
    "device-memory dnt downlink dpr ect host"
    " if-modified-since if-none-match keep-alive origin pragma priority proxy-connection purpose "
    "referer rtt save-data te trailer"
    " traceparent tracestate transfer-encoding upgrade upgrade-insecure-requests user-agent "
    "viewport-width".split()
)
_ANY = ("*/*", "text/html,application/xhtml+xml,application/xml;q=0.9,")
"""What a browser accepts: anything, or a page rather than anything."""


class Entry(Struct):
    """One entry of a recording: its exchange, None where it has none that can be read, and what
    could not be taken along."""

    number: int
    exchange: Recorded | None = None
    ms: float = 0.0
    said: list[str] = field(default_factory=list)


class Recording(Struct):
    entries: list[Entry]
    maker: str = ""


def read_har(octets: bytes) -> Recording:
    """The entries in their order, numbered from 1. Raises Unreadable: no JSON (with the place), no
    recording, too large."""
    if len(octets) > LARGEST:
        raise Unreadable(
            f"this recording is larger than {LARGEST // 1_000_000} MB; record less at a time, or "
            "without contents"
        )
    whole = _json(_text(octets))
    log = whole.get("log", whole) if isinstance(whole, dict) else whole
    entries = log.get("entries") if isinstance(log, dict) else None
    if not isinstance(entries, list):
        raise Unreadable("this is JSON, but no recording: it has no log with entries (HAR 1.2)")
    if len(entries) > MOST_ENTRIES:
        raise Unreadable(
            f"this recording has {len(entries)} entries; at most {MOST_ENTRIES} are read at a time"
        )
    creator = log.get("creator")
    maker = _str(creator.get("name")) if isinstance(creator, dict) else ""
    set_here: set[str] = set()
    return Recording(
        [_entry(number, entry, set_here) for number, entry in enumerate(entries, 1)], maker
    )


def _text(octets: bytes) -> str:
    for mark, charset in (
        (b"\xef\xbb\xbf", "utf-8-sig"),
        (b"\xff\xfe", "utf-16"),
        (b"\xfe\xff", "utf-16"),
    ):
        if octets.startswith(mark):
            return octets.decode(charset, "replace")
    try:
        return octets.decode()
    except UnicodeDecodeError as problem:
        raise Unreadable(
            f"this is no text in UTF-8: the byte at {problem.start} cannot be read"
        ) from None


def _json(text: str) -> Any:
    try:
        return json.loads(text.rstrip("\0 \r\n\t"), strict=False)
    except json.JSONDecodeError as problem:
        cut = problem.pos >= len(text.rstrip()) - 1
        what = "the file ends in the middle, as if it was cut" if cut else problem.msg
        raise Unreadable(
            f"this is no JSON that can be read: line {problem.lineno}, {what}"
        ) from None
    except RecursionError:
        raise Unreadable("this is nested deeper than a recording is") from None
    except ValueError as problem:  # a number of thousands of digits
        raise Unreadable(f"this is no JSON that can be read: {problem}") from None


def _entry(number: int, data: Any, set_here: set[str]) -> Entry:
    entry = Entry(number)
    request = data.get("request") if isinstance(data, dict) else None
    if not isinstance(request, dict):
        entry.said.append("It has no request.")
        return entry
    address = _str(request.get("url")).partition("#")[0]
    method = _str(request.get("method")).upper() or "GET"
    try:
        parts = urlsplit(address)
        known = parts.scheme.lower() in ("http", "https") and parts.hostname
    except ValueError:
        known = False
    if not known:
        entry.said.append(
            f"Its address, {address[:60] or 'which is empty'}, is none that a request can go to."
        )
        return entry
    if not _METHOD.fullmatch(method):
        entry.said.append(f"{method[:40]} is no method.")
        return entry
    step = RequestStep(method)
    headers = _headers(request, step, entry, set_here)
    missing = _body(request, step, entry)
    step.sign_in_of_header()
    response = data.get("response")
    answer = response if isinstance(response, dict) else {}
    content = answer.get("content")
    media_type, body = _content(content if isinstance(content, dict) else {}, entry)
    answered = _pairs(answer.get("headers"))
    cookies_set = _cookies_set(answer, answered)
    set_here.update(name for name, _ in cookies_set)
    status = _status(answer.get("status"))
    if status == 304:
        entry.said.append("The browser had the answer already (304); sent again, it comes in full.")
        status = 200
    kind = _str(data.get("_resourceType")).lower()
    if kind == "websocket" or status == 101:
        entry.said.append("It is a WebSocket, which a step cannot speak.")
        return entry
    location = _str(answer.get("redirectURL")) or next(
        (value for name, value in answered if name.lower() == "location"), ""
    )
    entry.exchange = Recorded(
        number,
        step.document(address.replace(" ", "%20")),
        method,
        address,
        status,
        media_type,
        body,
        kind,
        location,
        headers={name.lower(): value for name, value in headers},
        answered=tuple((name.lower(), value) for name, value in answered),
        cookies_sent=tuple(
            pair
            for name, value in headers
            if name.lower() == "cookie"
            for pair in _cookie_pairs(value, ";")
        ),
        cookies_set=cookies_set,
        body_missing=missing,
    )
    entry.ms = _number(data.get("time"))
    return entry


def _headers(
    request: dict[str, Any], step: RequestStep, entry: Entry, set_here: set[str]
) -> list[tuple[str, str]]:
    """Every header of the request; those that a test is about go into the step."""
    headers = _pairs(request.get("headers"))
    for name, value in headers:
        if name.lower() == "cookie":
            _cookies_sent(value, entry, set_here)
        if name.startswith(":") or name.lower() in _NOISE or name.lower().startswith("sec-"):
            continue
        if not _NAME.fullmatch(name) or "\r" in value or "\n" in value:
            entry.said.append(f"The header {name[:60]} is none that can be sent, and was left out.")
            continue
        if name.lower() == "accept" and value.startswith(_ANY):
            continue
        step.headers.append((name, value))
    return headers


def _cookies_sent(value: str, entry: Entry, set_here: set[str]) -> None:
    """Cookies that the recording shows being set come back by themselves; the others it cannot have
    from anywhere."""
    before = [name for name, _ in _cookie_pairs(value, ";") if name not in set_here]
    if before:
        entry.said.append(f"Set before the recording began, and left out: {_cookie_words(before)}.")


def _cookie_pairs(text: str, between: str) -> list[tuple[str, str]]:
    """Names and values; without the attributes where each line sets one (RFC 6265, 4.1 and 4.2)."""
    pairs = (part.partition(";")[0].partition("=") for part in text.split(between))
    return [(name.strip(), value.strip()) for name, equals, value in pairs if equals]


def _cookie_words(names: list[str]) -> str:
    shown = ", ".join(names[:5])
    more = f" and {len(names) - 5} more" if len(names) > 5 else ""
    return f"the cookie{'s' if len(names) > 1 else ''} {shown}{more}"


def _cookies_set(
    answer: dict[str, Any], headers: list[tuple[str, str]]
) -> tuple[tuple[str, str], ...]:
    """By the headers; by what the recording says of cookies where it has no such header."""
    lines = [
        pair
        for name, value in headers
        if name.lower() == "set-cookie"
        for pair in _cookie_pairs(value, "\n")
    ]
    cookies = answer.get("cookies")
    said = (
        [cookie for cookie in cookies if isinstance(cookie, dict)]
        if isinstance(cookies, list)
        else []
    )
    return tuple(
        lines or [(_str(cookie.get("name")), _str(cookie.get("value"))) for cookie in said]
    )


def _body(request: dict[str, Any], step: RequestStep, entry: Entry) -> str:
    """Put the body into the step; the media type of one that was sent and that the recording does
    not hold."""
    data = request.get("postData")
    data = data if isinstance(data, dict) else {}
    media_type = step.media_type() or _str(data.get("mimeType"))
    text, params = data.get("text"), data.get("params")
    params = (
        [param for param in params if isinstance(param, dict)] if isinstance(params, list) else []
    )
    if isinstance(text, str) and text:
        octets = text.encode("utf-8", "surrogateescape")
        if data.get("encoding") == "base64":
            try:
                octets = base64.b64decode(text, validate=True)
            except (binascii.Error, ValueError):
                entry.said.append("Its body says that it is base64, and is not; it was left out.")
                return media_type
        if media_type.lower().startswith("multipart/form-data"):
            return "" if _parts(octets, media_type, step, entry) else media_type
        try:
            step.text_body(octets.decode(), media_type or "text/plain")
        except UnicodeDecodeError:
            entry.said.append(
                "Its body is not text, and was left out: send it as a file of the project."
            )
            return media_type or "bytes"
    elif params and media_type.lower().startswith("multipart/form-data"):
        step.multipart(
            [
                _part(
                    _str(p.get("name")),
                    _str(p.get("value")),
                    _str(p.get("fileName")),
                    _str(p.get("contentType")),
                    entry,
                )
                for p in params
            ]
        )
    elif params:
        pairs = [(literal(_str(p.get("name"))), literal(_str(p.get("value")))) for p in params]
        single = len({name for name, _ in pairs}) == len(pairs)
        step.form_body(dict(pairs) if single else [list(pair) for pair in pairs])
    elif _length(request) > 0:
        step.headers = [
            (name, value) for name, value in step.headers if name.lower() != "content-type"
        ]
        return media_type.partition(";")[0].strip() or "some kind"
    return ""


def _length(request: dict[str, Any]) -> float:
    """How long the request's body was, by what is said of it; 0 for none, and where nothing is
    said."""
    said = next(
        (
            value
            for name, value in _pairs(request.get("headers"))
            if name.lower() == "content-length"
        ),
        "",
    )
    return max(_number(said), _number(request.get("bodySize")))


def _parts(octets: bytes, media_type: str, step: RequestStep, entry: Entry) -> bool:
    """A multipart body as it went over the wire (RFC 7578); False if it cannot be read."""
    whole = BytesParser(policy=HTTP).parsebytes(
        b"Content-Type: " + media_type.encode() + b"\r\n\r\n" + octets
    )
    found = (
        [part for part in whole.iter_parts() if isinstance(part, Message)]
        if whole.is_multipart()
        else []
    )
    if not found:
        entry.said.append("Its parts cannot be told apart, so its body was left out.")
        return False
    parts = []
    for part in found:
        name, file = part.get_param("name", "", "content-disposition"), part.get_filename() or ""
        content = part.get_payload(decode=True)
        text = content.decode("utf-8", "replace") if isinstance(content, bytes) else ""
        kind = part.get_content_type() if file and "content-type" in part else ""
        parts.append(_part(str(name), text, file, kind, entry))
    step.multipart(parts)
    return True


def _part(name: str, text: str, file: str, media_type: str, entry: Entry) -> Part:
    if not file:
        return Part(name, text)
    path = "data/" + (
        re.sub(r"[^\w.-]+", "-", file.replace("\\", "/").rpartition("/")[2]).strip("-.") or "file"
    )
    entry.said.append(f"It sends the file {path}: bring it into the project under that path.")
    return Part(name, file=path, media_type=media_type)


def _content(content: dict[str, Any], entry: Entry) -> tuple[str, bytes]:
    media_type = _str(content.get("mimeType")).partition(";")[0].strip().lower()
    text = content.get("text")
    if not isinstance(text, str):
        return media_type, b""
    if content.get("encoding") != "base64":
        return media_type, text.encode("utf-8", "replace")
    try:
        return media_type, base64.b64decode(text)
    except (binascii.Error, ValueError):
        entry.said.append("Its answer says that it is base64, and is not.")
        return media_type, b""


def _pairs(data: Any) -> list[tuple[str, str]]:
    """Names and values of a list of headers; what is none is passed over."""
    items = [item for item in data if isinstance(item, dict)] if isinstance(data, list) else []
    return [
        (_str(item.get("name")).strip(), _str(item.get("value")))
        for item in items
        if _str(item.get("name")).strip()
    ]


def _str(value: Any) -> str:
    if isinstance(value, bool) or not isinstance(value, str | int | float):
        return ""
    return str(value).encode("utf-8", "replace").decode()  # without halves of surrogate pairs


def _status(value: Any) -> int:
    number = _number(value)
    return int(number) if 100 <= number <= 599 else 0


def _number(value: Any) -> float:
    try:
        number = float(_str(value) or 0)
    except ValueError:
        return 0.0
    return number if 0 <= number < 1e9 else 0.0
