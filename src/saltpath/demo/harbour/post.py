"""What a team's mail server might be: it keeps what is sent to it, and shows it at /mail."""

from __future__ import annotations

import email
import email.policy
import socket
from email.message import EmailMessage
from html import escape
from threading import Lock
from typing import Any

from saltpath.core.values import plain
from saltpath.demo.harbour.routes import Call, Reply, page, route, wants_json

MOST = 200
LARGEST = 1_000_000
_lock = Lock()
_kept: list[dict[str, str]] = []


class Post:
    """A mail server in a thread of this process; it takes mail for everybody, from everybody.
    `address` is `host:port`."""

    def __init__(self, host: str = "127.0.0.1", port: int = 0) -> None:
        from aiosmtpd.controller import Controller  # it brings asyncio, which few who ask need

        if not port:
            with socket.create_server((host, 0)) as free:
                port = free.getsockname()[1]
        self._server = Controller(_Taking(), host, port, data_size_limit=LARGEST)
        self._server.start()
        self.address = f"{host}:{port}"

    def __enter__(self) -> Post:
        return self

    def __exit__(self, *_: object) -> None:
        self._server.stop()


class _Taking:
    async def handle_DATA(self, server: Any, session: Any, envelope: Any) -> str:
        mail = email.message_from_bytes(envelope.content, policy=email.policy.default)
        assert isinstance(mail, EmailMessage)
        text = mail.get_body(("plain",))
        with _lock:
            _kept.append(
                {
                    "from": str(mail["From"]),
                    "to": ", ".join(envelope.rcpt_tos),
                    "subject": str(mail["Subject"]),
                    "text": text.get_content() if text is not None else "",
                }
            )
            del _kept[:-MOST]
        return "250 it is in the box"


@route("GET", "/mail")
def _show(call: Call) -> Reply:
    """What came, the newest first: a page, or JSON where only that is taken."""
    with _lock:
        came = list(reversed(_kept))
    if wants_json(call):
        cut = [{name: plain.cut(text, 5_000) for name, text in one.items()} for one in came]
        return Reply(200, {"items": cut})
    lines = "".join(
        f"<h2>{escape(one['subject'])}</h2><p>from {escape(one['from'])} to {escape(one['to'])}</p>"
        f"<pre>{escape(one['text'])}</pre><hr>"
        for one in came
    )
    return page("The harbour's mail", f"{len(came)} mails.", lines)
