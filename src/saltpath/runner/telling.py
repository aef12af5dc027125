"""Sends messages of alerts by their routes: mail by SMTP (RFC 5321) over STARTTLS or TLS with a
sign-in, webhooks by HTTP, signed; where nobody answers it is tried again later."""

from __future__ import annotations

import logging
import smtplib
import socket
import sqlite3
import ssl
import time
from collections.abc import Callable
from contextlib import closing
from datetime import UTC, datetime
from email.message import EmailMessage
from email.utils import format_datetime
from pathlib import Path
from typing import Any

from saltpath.core.cases.options import Options
from saltpath.core.running.prepare import Prepared
from saltpath.core.running.reach import Reach
from saltpath.core.values.errors import SaltPathError
from saltpath.core.watching.alerts import signed
from saltpath.engine.client import Client
from saltpath.engine.here import is_here
from saltpath.engine.loop import Strand, run_in_loop
from saltpath.runner import daily
from saltpath.runner.alerting import Alerting
from saltpath.store import reaching, routes, secrets
from saltpath.store.database import connect, now_us
from saltpath.store.history import alerts
from saltpath.store.history.alerts import Message
from saltpath.store.routes import Route, StoredRoute

TIMEOUT_S = 20.0
LARGEST_ANSWER = 100_000
AT_ONCE = 20
PORTS = {"starttls": 587, "tls": 465, "none": 25}
DOMAIN = "saltpath.invalid"
"""Of the names of messages and threads, which nobody looks up."""
log = logging.getLogger("saltpath.alerts")


class Teller:
    """`address`: where a browser finds Salt Path; `own_port`: where it listens, to which nothing is
    sent; `clock` gives UTC in microseconds."""

    def __init__(
        self,
        folder: Path,
        address: str,
        own_port: int = 0,
        clock: Callable[[], int] = now_us,
    ) -> None:
        self._folder, self._address, self._own_port = folder, address, own_port
        self._clock = clock

    def tell_due(self) -> int:
        """Make messages of what is new, and try once whatever is due by now; how many messages
        these were."""
        main, history = connect(self._folder, "main"), connect(self._folder, "history")
        with closing(main), closing(history):
            Alerting(main, history, self._folder, self._address).look(self._clock())
            daily.look(main, history, self._folder, self._address, self._clock())
            found = alerts.due(history, self._clock(), AT_ONCE)
            reach = reaching.reach(main, self._own_port)
            for one in found:
                at, begun = self._clock(), time.monotonic_ns()
                said = self._sent(main, one, reach)
                us = (time.monotonic_ns() - begun) // 1000
                alerts.record_try(history, one, at, us, said)
        return len(found)

    def _sent(self, main: sqlite3.Connection, one: Message, reach: Reach) -> str:
        """Why it has not arrived; empty: it has."""
        try:
            route = routes.route_by_id(main, one.route)
            place = secrets.Place(route.project, routes.secret_name(route))
            secret = secrets.secret_at(main, self._folder, place)
            if route.route.kind == "mail":
                return send_mail(mail_of(route, one, self._clock()), route.route, secret, reach)
            return self._post(route, one, secret, reach)
        except SaltPathError as problem:
            return problem.sentence
        except Exception:
            log.exception("a fault of Salt Path's own in message %s", one.oid)
            return "Salt Path itself made a mistake here; its log says more"

    def _post(self, route: StoredRoute, one: Message, secret: str, reach: Reach) -> str:
        headers = (
            ("User-Agent", "saltpath"),
            ("Accept", "*/*"),
            ("Content-Type", "application/json"),
            *signed(secret, one.oid, self._clock() // 1_000_000, one.body),
        )
        prepared = Prepared("POST", route.route.address, headers, one.body, redirected=True)

        async def post(selector: Any) -> str:
            client = Client(selector, self._clock, reach=reach)
            try:
                options = Options(timeout_us=round(TIMEOUT_S * 1e6), largest_body=LARGEST_ANSWER)
                exchange = await Strand(client.exchange(prepared, options)).done
            finally:
                client.close()
            if exchange.why is not None:
                return str(exchange.why.sentence)
            return "" if 200 <= exchange.status < 300 else f"it answered {exchange.status}"

        return str(run_in_loop(post))


def mail_of(route: StoredRoute, one: Message, now: int) -> EmailMessage:
    """The mail: text and HTML; those of one outage are a thread (RFC 5322, 3.6.4)."""
    mail = EmailMessage()
    mail["From"] = route.route.sender
    mail["To"] = ", ".join(route.route.to)
    mail["Subject"] = one.subject
    mail["Date"] = format_datetime(datetime.fromtimestamp(now / 1e6, UTC))
    mail["Message-ID"] = f"<{one.oid}@{DOMAIN}>"
    if one.thread:
        mail["References"] = mail["In-Reply-To"] = f"<{one.thread}@{DOMAIN}>"
    mail["Auto-Submitted"] = "auto-generated"
    mail.set_content(one.text)
    mail.add_alternative(one.html, subtype="html")
    return mail


def send_mail(mail: EmailMessage, route: Route, password: str, reach: Reach) -> str:
    """Why it has not gone; empty: the server has taken it for everybody."""
    host, port = server_of(route)
    try:
        address = _address(host, port, reach)
        context = ssl.create_default_context()
        if route.security == "tls":
            server: smtplib.SMTP = smtplib.SMTP_SSL(timeout=TIMEOUT_S, context=context)
        else:
            server = smtplib.SMTP(timeout=TIMEOUT_S)
        server._host = host  # type: ignore[attr-defined]  # whom its certificate names
        with server:
            server.connect(address, port)
            if route.security == "starttls":
                server.starttls(context=context)
            if route.user:
                server.login(route.user, password)
            refused = server.send_message(mail)
        return f"it refused {', '.join(refused)}" if refused else ""
    except smtplib.SMTPException as problem:
        return _said(problem)
    except (OSError, UnicodeError) as problem:
        return f"{host} on port {port}: {problem}"


def _said(problem: smtplib.SMTPException) -> str:
    if isinstance(problem, smtplib.SMTPResponseException):
        said = problem.smtp_error
        text = said.decode("utf-8", "replace") if isinstance(said, bytes) else str(said)
        return f"the mail server answered {problem.smtp_code} {text}"
    if isinstance(problem, smtplib.SMTPRecipientsRefused):
        return f"the mail server refused {', '.join(problem.recipients)}"
    return f"the mail server: {problem}"


def server_of(route: Route) -> tuple[str, int]:
    """The host and the port of a mail server that is given as `host` or `host:port`."""
    host, _, port = route.server.strip().rpartition(":")
    if host and port.isdigit() and len(port) < 6:
        return host.strip("[]"), int(port)
    return route.server.strip().strip("[]"), PORTS[route.security]


def _address(host: str, port: int, reach: Reach) -> str:
    """The address of a host that may be asked. Raises OSError."""
    found = socket.getaddrinfo(host, port, type=socket.SOCK_STREAM)
    for *_, address in found:
        if not reach.refusal(host, str(address[0]), port, is_here):
            return str(address[0])
    raise OSError("requests may not go there (Setup says where they may)")
