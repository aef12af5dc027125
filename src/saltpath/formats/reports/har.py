"""HAR 1.2: every exchange of a run, as a browser's tools and others read them. Secrets were masked
in the engine.

The format: http://www.softwareishard.com/blog/har-12-spec/ (a field that is not known is -1; what
is not in the standard begins with an underscore).
"""

from __future__ import annotations

import base64
from collections.abc import Iterator
from datetime import UTC, datetime
from http.cookies import CookieError, SimpleCookie
from importlib.metadata import version
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from saltpath.core.answers.answer import headers_of
from saltpath.core.answers.exchange import Exchange
from saltpath.core.running.events import StepFinished
from saltpath.core.values import plain
from saltpath.formats.reports.report import Report, ReportedCase

NOT_KNOWN = -1


def write(report: Report) -> Iterator[bytes]:
    """The document in pieces, an exchange each."""
    creator = {"name": "Salt Path", "version": version("saltpath")}
    head = {"version": "1.2", "creator": creator, "comment": report.title}
    yield b'{"log":' + plain.write_json(head)[:-1] + b',"entries":['
    first = True
    for case in report.cases():
        for step in case.steps():
            for exchange in step.exchanges:
                if step.kind == "look up":
                    continue  # a database was asked, not a server
                entry = plain.with_whole_texts(_entry(exchange, step, case))
                yield b"," * (not first) + plain.write_json(entry)
                first = False
    yield b"]}}\n"


def _entry(exchange: Exchange, step: StepFinished, case: ReportedCase) -> dict[str, Any]:
    row = f"row {step.row}, " if case.has_rows and step.row else ""
    times = exchange.times
    rest = times.total - times.lookup - times.connect - times.tls - times.waiting
    comment = f"{case.called}: {row}{step.name}"
    if exchange.why is not None:
        comment += f": {exchange.why.sentence}"
    return {
        "startedDateTime": _moment(exchange.begun_us),
        "time": _ms(max(times.total, 0)),
        "request": _request(exchange),
        "response": _response(exchange),
        "cache": {},
        "timings": {
            "blocked": NOT_KNOWN,
            "dns": NOT_KNOWN if exchange.reused else _ms(times.lookup),
            # what a HAR calls connect holds the time of ssl
            "connect": NOT_KNOWN if exchange.reused else _ms(times.connect + times.tls),
            "ssl": _ms(times.tls) if times.tls else NOT_KNOWN,
            "send": 0,
            "wait": _ms(times.waiting),
            "receive": _ms(max(rest, 0)),
        },
        "comment": comment,
        "_verdict": step.verdict,
    }


def _moment(us: int) -> str:
    return datetime.fromtimestamp(us / 1e6, UTC).isoformat(timespec="milliseconds")


def _ms(us: int) -> float:
    return round(us / 1000, 3)


def _request(exchange: Exchange) -> dict[str, Any]:
    headers = headers_of(exchange.sent_head)
    request: dict[str, Any] = {
        "method": exchange.method,
        "url": exchange.address,
        "httpVersion": _sent_version(exchange.sent_head),
        "cookies": _cookies(headers, "cookie"),
        "headers": _pairs(headers),
        "queryString": _pairs(parse_qsl(urlsplit(exchange.address).query, keep_blank_values=True)),
        "headersSize": len(exchange.sent_head) or NOT_KNOWN,
        "bodySize": len(exchange.sent_body),
    }
    if exchange.sent_body:
        text, coding = _text(exchange.sent_body)
        request["postData"] = {"mimeType": _type(headers), "text": text} | coding
    return request


def _response(exchange: Exchange) -> dict[str, Any]:
    headers = exchange.headers
    text, coding = _text(exchange.body)
    first = exchange.received_head.decode("latin-1").rpartition("HTTP/")[2].split("\r\n")[0]
    version, _, status = first.partition(" ")
    return {
        "status": exchange.status,
        "statusText": status.partition(" ")[2],
        "httpVersion": f"HTTP/{version}" if version else "",
        "cookies": _cookies(headers, "set-cookie"),
        "headers": _pairs(headers),
        "content": {
            "size": len(exchange.body),
            "compression": len(exchange.body) - len(exchange.raw_body),
            "mimeType": _type(headers),
            "text": text,
        }
        | coding,
        "redirectURL": next((v for n, v in headers if n.lower() == "location"), ""),
        "headersSize": len(exchange.received_head) or NOT_KNOWN,
        "bodySize": len(exchange.raw_body) if exchange.status else NOT_KNOWN,
    }


def _sent_version(head: bytes) -> str:
    return head.partition(b"\r\n")[0].rpartition(b" ")[2].decode("latin-1")


def _pairs(pairs: list[tuple[str, str]]) -> list[dict[str, str]]:
    return [{"name": name, "value": value} for name, value in pairs]


def _type(headers: list[tuple[str, str]]) -> str:
    return next((value for name, value in headers if name.lower() == "content-type"), "")


def _text(body: bytes) -> tuple[str, dict[str, str]]:
    """A body as text, and how that is coded where it is not text itself."""
    try:
        return body.decode(), {}
    except UnicodeDecodeError:
        return base64.b64encode(body).decode(), {"encoding": "base64"}


def _cookies(headers: list[tuple[str, str]], header: str) -> list[dict[str, Any]]:
    found = []
    for name, value in headers:
        if name.lower() != header:
            continue
        try:
            found += [{"name": one.key, "value": one.value} for one in SimpleCookie(value).values()]
        except CookieError:
            continue  # the header itself says what came
    return found
