"""Messages for people when watches break and recover: what broke, since when, what was expected and
came, where to look. One message may speak of several watches that have one cause."""

from __future__ import annotations

import base64
import hashlib
import hmac
import re
from collections.abc import Sequence
from datetime import UTC, datetime
from html import escape
from typing import Any, Literal
from zoneinfo import ZoneInfo

from msgspec import Struct

from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.measures import counted

TroubleKind = Literal["outage", "burn", "slower"]
"""`burn`: an allowance is used up too fast. Each is told when it begins."""
Kind = Literal["outage", "burn", "slower", "recovery", "reminder", "test", "today", "heads"]
"""`today`: what is worth a look, each working day; `heads`: of the sealed record, each day."""
TOGETHER_S = 60
"""What has one cause within so long is one message."""
REMIND_AFTER_S = (3_600, 4 * 3_600, 12 * 3_600, 24 * 3_600)
"""After the begin of an outage that nobody has taken; then each day."""
PLACES = ("sentence", "text", "link", "state", "watches")
"""What a webhook's template may name, in braces."""
_PLACE = re.compile(rf"\{{({'|'.join(PLACES)})\}}")
CHAT = '{"text": "{text}"}'
"""What chats take that take a text."""


class Told(Struct, frozen=True):
    """What is told of one watch; moments are seconds, UTC."""

    name: str
    environment: str
    supplier: str
    began: int
    ended: int
    """0: it still lasts."""
    cause: str
    runs: int
    link: str
    kind: TroubleKind = "outage"


class Message(Struct, frozen=True):
    subject: str
    text: str
    html: str


def together(causes: Sequence[tuple[int, str, str]], within_s: int = TOGETHER_S) -> list[list[int]]:
    """Which of these belong into one message (moment, signature, host): those that share a
    signature or a host with one that came within so long before them. By their places, in
    order."""
    groups: list[list[int]] = []
    for place in sorted(range(len(causes)), key=lambda at: causes[at][0]):
        at, signature, host = causes[place]
        near = [
            group
            for group in groups
            if any(
                at - causes[other][0] <= within_s
                and (
                    (signature and signature == causes[other][1])
                    or (host and host == causes[other][2])
                )
                for other in group
            )
        ]
        joined = [other for group in near for other in group]
        groups = [group for group in groups if group not in near]
        groups.append([*joined, place])
    return groups


def message(kind: Kind, told: Sequence[Told], zone: str, now: int) -> Message:
    """What people get. `told`: at least one."""
    subject = " ".join(_subject(kind, told, now).split())
    lines, rows = [subject + "."], [f"<p><strong>{escape(subject)}.</strong></p>"]
    for one in told:
        facts = _facts(one, zone, now)
        lines += ["", one.name, *(f"  {name}: {value}" for name, value in facts), f"  {one.link}"]
        cells = "".join(
            f"<tr><td>{escape(name)}</td><td>{escape(value)}</td></tr>" for name, value in facts
        )
        rows.append(
            f'<p><a href="{escape(one.link, quote=True)}">{escape(one.name)}</a></p>'
            f"<table>{cells}</table>"
        )
    return Message(subject, "\n".join(lines) + "\n", "".join(rows))


def _subject(kind: Kind, told: Sequence[Told], now: int) -> str:
    if kind == "test":
        return "A test from Salt Path: this route works"
    which = told[0].name if len(told) == 1 else f"{len(told)} watches"
    first = min(one.began for one in told)
    said = _SAID[told[0].kind]["one" if len(told) == 1 else "several"]
    if all(one.ended for one in told):
        return f"{which} {said.ended} after {lasting(max(one.ended for one in told) - first)}"
    if kind == "reminder":
        return f"{which} {said.lasts}, for {lasting(now - first)}"
    return f"{which} {said.begins}"


class _Said(Struct, frozen=True):
    """What is said of one watch, or of several, behind its name."""

    begins: str
    lasts: str
    ended: str


_SAID: dict[TroubleKind, dict[str, _Said]] = {
    "outage": {
        "one": _Said("is failing", "is still failing", "is well again"),
        "several": _Said("are failing", "are still failing", "are well again"),
    },
    "burn": {
        "one": _Said(
            "uses up its allowance too fast",
            "still uses up its allowance too fast",
            "uses up its allowance no faster than it may",
        ),
        "several": _Said(
            "use up their allowances too fast",
            "still use up their allowances too fast",
            "use up their allowances no faster than they may",
        ),
    },
    "slower": {
        "one": _Said("became slower", "is still slower", "is as quick as before"),
        "several": _Said("became slower", "are still slower", "are as quick as before"),
    },
}
"""What is told together is of one kind."""


def _facts(one: Told, zone: str, now: int) -> list[tuple[str, str]]:
    facts = [("since", clock(one.began, zone))]
    if one.ended:
        facts = [("from", f"{clock(one.began, zone)} to {clock(one.ended, zone)}")]
        facts.append(("for", lasting(one.ended - one.began)))
    facts += [
        ("what came", one.cause),
        ("bad runs", str(one.runs)),
        ("against", one.environment),
        ("supplier", one.supplier),
    ]
    return [(name, value) for name, value in facts if value]


def clock(moment: int, zone: str) -> str:
    """`1 Dec 2026, 14:20 Europe/Oslo`."""
    here = datetime.fromtimestamp(moment, UTC).astimezone(ZoneInfo(zone))
    return f"{here.day} {here:%b %Y, %H:%M} {zone}"


def lasting(seconds: int) -> str:
    """`40 s`, `14 min`, `3 h 20 min`, `2 days 4 h`."""
    if seconds < 60:
        return f"{max(seconds, 0)} s"
    minutes = seconds // 60
    if minutes < 60:
        return f"{minutes} min"
    hours, minutes = divmod(minutes, 60)
    if hours < 24:
        return f"{hours} h {minutes} min" if minutes else f"{hours} h"
    days, hours = divmod(hours, 24)
    return counted(days, "day") + (f" {hours} h" if hours else "")


# ---- webhooks


_NO_STATE: tuple[Kind, ...] = ("test", "today", "heads")


def body_of(template: str, kind: Kind, made: Message, told: Sequence[Told], project: str) -> bytes:
    """What a webhook is sent: a template with its places filled, each as text within JSON; or, of
    none, all that is known."""
    state = "slower" if kind == "slower" else "failing"
    if told and all(one.ended for one in told):
        state = "well"
    if template:
        values = {
            "sentence": made.subject,
            "text": made.text,
            "link": told[0].link if told else "",
            "state": kind if kind in _NO_STATE else state,
            "watches": ", ".join(one.name for one in told),
        }
        quoted = {name: plain.write_json(value).decode()[1:-1] for name, value in values.items()}
        # what was inserted is not read again
        return _PLACE.sub(lambda found: quoted[found[1]], template).encode()
    data: dict[str, Any] = {
        "type": f"watch.{kind}",
        "data": {
            "project": project,
            "state": kind if kind in _NO_STATE else state,
            "sentence": made.subject,
            "text": made.text,
            "watches": [
                {
                    "name": one.name,
                    "kind": one.kind,
                    "environment": one.environment,
                    "supplier": one.supplier,
                    "began": rfc3339(one.began),
                    "ended": rfc3339(one.ended) if one.ended else None,
                    "cause": one.cause,
                    "badRuns": one.runs,
                    "link": one.link,
                }
                for one in told
            ],
        },
    }
    return plain.write_json(data)


def read_template(text: str) -> str:
    """A template that is JSON once it is filled. Raises Unreadable."""
    if not text.strip():
        return ""
    probe = body_of(text, "test", Message("a", "a", "a"), (), "a")
    try:
        plain.read_json(probe)
    except plain.NotPlain as problem:
        raise Unreadable(
            f"the template is no JSON: {problem}; it may name {{sentence}}, {{text}}, {{link}}, "
            "{state} and {watches} within quotes"
        ) from None
    return text


def signed(secret: str, id: str, at: int, body: bytes) -> list[tuple[str, str]]:
    """The headers by which whoever gets a webhook knows that it is ours, and when it was sent
    (seconds): those of Standard Webhooks, with HMAC-SHA256 over id, time and body."""
    headers = [("webhook-id", id), ("webhook-timestamp", str(at))]
    if secret:
        key = secret.encode()
        if secret.startswith("whsec_"):
            key = base64.b64decode(secret.removeprefix("whsec_"))
        mac = hmac.new(key, f"{id}.{at}.".encode() + body, hashlib.sha256).digest()
        headers.append(("webhook-signature", f"v1,{base64.b64encode(mac).decode()}"))
    return headers


def rfc3339(moment: int) -> str:
    return datetime.fromtimestamp(moment, UTC).strftime("%Y-%m-%dT%H:%M:%SZ")
