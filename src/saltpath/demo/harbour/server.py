"""Listens on loopback and routes: paths to functions, refusals to problem documents, undeclared
methods to 405."""

from __future__ import annotations

import threading
from decimal import Decimal
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from pathlib import Path
from typing import Any
from urllib.parse import parse_qsl, unquote, urlsplit

from saltpath.core.values import plain
from saltpath.demo.harbour import (  # noqa: F401  they enter their routes
    cargo,
    chat,
    desks,
    feeds,
    papers,
    post,
    receiver,
)
from saltpath.demo.harbour.faults import FAULTS
from saltpath.demo.harbour.ledger import Ledger
from saltpath.demo.harbour.openapi import document
from saltpath.demo.harbour.pace import take_time
from saltpath.demo.harbour.port import PILOTS, RELEASES, Port, Refusal
from saltpath.demo.harbour.routes import ROUTES, Call, Reply, route

LARGEST_BODY = 1_000_000


def _page(items: list[dict[str, Any]], call: Call) -> Reply:
    """Sorted and paged: `sort=name` or `-name`, `page` from 1, `size` 1 to 100."""
    sort = call.query.get("sort", "")
    if sort:
        name = sort.lstrip("-")
        if items and name not in items[0]:
            raise Refusal(400, f"cannot sort by {name}", "sort")
        items = sorted(items, key=lambda item: item[name], reverse=sort.startswith("-"))
    try:
        page, size = int(call.query.get("page", "1")), int(call.query.get("size", "20"))
    except ValueError:
        raise Refusal(400, "page and size must be whole numbers", "page") from None
    if page < 1 or not 1 <= size <= 100:
        raise Refusal(400, "page counts from 1, size from 1 to 100", "page")
    shown = items[(page - 1) * size : page * size]
    return Reply(200, {"items": shown, "page": page, "size": size, "total": len(items)})


@route("POST", "/sessions")
def _sign_in(call: Call) -> Reply:
    return Reply(201, call.port.sign_in(call.body))


@route("GET", "/vessels")
def _vessels(call: Call) -> Reply:
    items = list(call.port.vessels.values())
    if "homePort" in call.query:
        items = [v for v in items if v["homePort"] == call.query["homePort"]]
    if "minLength" in call.query:
        try:
            least = Decimal(call.query["minLength"])
        except ArithmeticError:
            raise Refusal(400, "minLength must be a number", "minLength") from None
        items = [v for v in items if v["lengthMetres"] >= least]
    return _page([call.port.shown(v) for v in items], call)


@route("PUT", "/switches/release")
def _switch_release(call: Call) -> Reply:
    """Not part of the service: lets a demonstration and tests see what a new release breaks."""
    release = call.body.get("release") if isinstance(call.body, dict) else None
    if release not in RELEASES:
        raise Refusal(422, f"release is one of {', '.join(RELEASES)}", "release")
    call.port.release = release
    return Reply(200, {"release": release})


@route("POST", "/vessels", signed=True)
def _add_vessel(call: Call) -> Reply:
    vessel = call.port.add_vessel(call.body)
    return Reply(201, vessel, (("Location", f"{call.base}/vessels/{vessel['id']}"),))


@route("GET", "/vessels/{id}")
def _vessel(call: Call) -> Reply:
    return Reply(200, call.port.shown(call.port.vessel(call.keys["id"])))


@route("DELETE", "/vessels/{id}", signed=True)
def _drop_vessel(call: Call) -> Reply:
    call.port.vessel(call.keys["id"])
    del call.port.vessels[call.keys["id"]]
    return Reply(204)


@route("GET", "/berths")
def _berths(call: Call) -> Reply:
    items = [b for b in call.port.berths if call.query.get("state") in (None, b["state"])]
    return _page(items, call)


@route("GET", "/berths/{id}")
def _berth(call: Call) -> Reply:
    for berth in call.port.berths:
        if berth["id"] == call.keys["id"]:
            return Reply(200, berth)
    raise Refusal(404, f"there is no berth {call.keys['id']}")


@route("POST", "/port-calls", signed=True)
def _ask(call: Call) -> Reply:
    made = call.port.ask(call.body if isinstance(call.body, dict) else {})
    return Reply(201, made, (("Location", f"{call.base}/port-calls/{made['id']}"),))


@route("GET", "/port-calls", signed=True)
def _calls(call: Call) -> Reply:
    items = [c for c in call.port.all_calls() if call.query.get("state") in (None, c["state"])]
    return _page(items, call)


@route("GET", "/port-calls/{id}", signed=True)
def _port_call(call: Call) -> Reply:
    return Reply(200, call.port.call(call.keys["id"]))


@route("DELETE", "/port-calls/{id}", signed=True)
def _cancel(call: Call) -> Reply:
    call.port.cancel(call.keys["id"])
    return Reply(204)


@route("PUT", "/port-calls/{id}/confirmation", signed=True)
def _confirm(call: Call) -> Reply:
    return Reply(200, call.port.move(call.keys["id"], "quoted", "confirmed"))


@route("PUT", "/port-calls/{id}/departure", signed=True)
def _depart(call: Call) -> Reply:
    return Reply(200, call.port.move(call.keys["id"], "confirmed", "departed"))


@route("POST", "/fee-quotes")
def _fee(call: Call) -> Reply:
    return Reply(200, call.port.fee(call.body))


@route("GET", "/pilots")
def _pilots(call: Call) -> Reply:
    return _page(PILOTS, call)


@route("GET", "/tide-windows")
def _tides(call: Call) -> Reply:
    return Reply(
        200,
        {
            "date": call.query.get("date", ""),
            "windows": call.port.tides(call.query.get("date", "")),
        },
    )


@route("GET", "/openapi.json")
def _openapi(call: Call) -> Reply:
    return Reply(200, document(call.base))


class Handler(BaseHTTPRequestHandler):
    """One connection. HTTP/1.1 with keep-alive."""

    protocol_version = "HTTP/1.1"
    server_version = "FernholmHarbour/3.3"
    wbufsize = 65536
    disable_nagle_algorithm = True
    port: Port

    def log_message(self, format: str, *args: Any) -> None:
        pass

    def __getattr__(self, name: str) -> Any:
        if name.startswith("do_"):
            return self._answer
        raise AttributeError(name)

    def _answer(self) -> None:
        parts = urlsplit(self.path)
        query = dict(parse_qsl(parts.query, keep_blank_values=True))
        path = unquote(parts.path)
        if path.startswith("/faults/") and path[8:] in FAULTS:
            self._fault(path[8:], query)
            return
        take_time(self.command, path)
        try:
            reply = self._reply(path, query)
        except Refusal as refusal:
            problem = {"title": refusal.reason, "status": refusal.status}
            reply = Reply(
                refusal.status, problem | ({"field": refusal.fault} if refusal.fault else {})
            )
        self._write(reply)

    def _reply(self, path: str, query: dict[str, str]) -> Reply:
        raw = self._body()
        allowed = []
        for method, pattern, answer, signed in ROUTES:
            found = pattern.fullmatch(path)
            if not found:
                continue
            allowed.append(method)
            if method == self.command or (method == "GET" and self.command == "HEAD"):
                agent = self.port.agent(self.headers.get("Authorization", "")) if signed else ""
                base = f"http://{self.headers.get('Host', '')}"
                keys = found.groupdict()
                return answer(
                    Call(self.port, self.command, path, keys, query, raw, self.headers, agent, base)
                )
        if allowed:
            problem = {"title": f"{self.command} is not possible here", "status": 405}
            return Reply(405, problem, (("Allow", ", ".join(allowed)),))
        raise Refusal(404, f"nothing is at {path}")

    def _body(self) -> bytes:
        length = self.headers.get("Content-Length", "0")
        size = int(length) if length.isdigit() else 0
        if size > LARGEST_BODY:
            self.close_connection = True
            raise Refusal(413, "the body is larger than 1 MB")
        return self.rfile.read(size)

    def _write(self, reply: Reply) -> None:
        raw = isinstance(reply.body, bytes)
        body = b"" if reply.body is None else reply.body if raw else plain.write_json(reply.body)
        self.send_response(reply.status)
        if reply.body is not None and not raw:
            kind = "application/problem+json" if reply.status >= 400 else "application/json"
            self.send_header("Content-Type", kind)
        if reply.status != 204:
            self.send_header("Content-Length", str(len(body)))
        for name, value in reply.headers:
            self.send_header(name, value)
        self.end_headers()
        if self.command != "HEAD":
            self.wfile.write(body)

    def _fault(self, name: str, query: dict[str, str]) -> None:
        self.close_connection = True
        self._body_quietly()
        try:
            asked = {**query, "_name": name}
            FAULTS[name](self.wfile, asked, self.connection)  # type: ignore[arg-type]
            self.wfile.flush()
        except (OSError, ValueError):
            pass

    def _body_quietly(self) -> None:
        try:
            self._body()
        except Refusal:
            pass


class _Server(ThreadingHTTPServer):
    """A client that goes away in the middle is nothing to report."""

    request_queue_size = 128
    daemon_threads = True

    def handle_error(self, request: Any, client_address: Any) -> None:
        pass


LOOK_S = 0.05
"""How often it looks whether it is to end."""


class Harbour:
    """The service in threads of this process. `address` is where it answers, `database` its SQLite
    file."""

    def __init__(
        self,
        host: str = "127.0.0.1",
        port: int = 0,
        live: bool = False,
        database: Path | None = None,
    ) -> None:
        state = Port.live() if live else Port()
        handler = type("BoundHandler", (Handler,), {"port": state})
        self._server = _Server((host, port), handler)
        state.ledger = self._ledger = Ledger(database, state.berths)
        self.database = self._ledger.file
        self.address = f"http://{host}:{self._server.server_address[1]}"
        self._thread = threading.Thread(
            target=self._server.serve_forever, args=(LOOK_S,), name="harbour", daemon=True
        )

    def start(self) -> Harbour:
        self._thread.start()
        return self

    def serve(self) -> None:
        """Serve in this thread until the process ends."""
        self._server.serve_forever(LOOK_S)

    def stop(self) -> None:
        self._server.shutdown()
        self._server.server_close()
        self._ledger.close()

    def __enter__(self) -> Harbour:
        return self.start()

    def __exit__(self, *_: object) -> None:
        self.stop()
