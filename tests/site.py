"""A small site as browsers see one: pages with a form, a sign-in by redirects and cookies, uploads,
and calls that its pages make.

The Harbour Desk. Nothing of it can be used twice: the form's token, the ticket of the sign-in, the
cookie and every id are made anew, and without them it answers 403 or 401. A host of somebody else,
which it tells each click, answers more often than the site itself."""

from __future__ import annotations

import json
import secrets
import threading
from email.parser import BytesParser
from email.policy import HTTP
from http.cookies import SimpleCookie
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, parse_qsl, urlsplit

PORCH = """<!doctype html><title>Harbour Desk</title><h1>Harbour Desk</h1>
<form method="post" action="/sign-in"><input type="hidden" name="proof" value="{proof}">
<input name="user"><input name="password" type="password"><button>Sign in</button></form>"""

DESK = """<!doctype html><title>The desk</title><h1>The desk</h1><p role="status"></p>
<button id="call">Announce a call</button>
<form id="papers" method="post" action="/papers" enctype="multipart/form-data">
<input type="hidden" name="visit" value="{visit}">
<input name="about" value="Papers of Marrow Finch">
<input type="file" name="plan"><button>Hand in</button></form>
<script>
const told = []; const tell = (what) => told.push(fetch("{elsewhere}/told/" + what,
  {{ method: "POST", mode: "cors", body: "{{}}",
  headers: {{ "Content-Type": "text/plain" }} }}).catch(() => 0));
for (const what of ["came", "looked", "moved", "stayed", "breathed", "scrolled"]) tell(what);
const cookie = (name) => decodeURIComponent(document.cookie.split("; ")
  .find((pair) => pair.startsWith(name + "=")).split("=")[1]);
document.querySelector("#call").onclick = async () => {{
  const headers = {{ "X-Desk-Proof": cookie("desk-proof") }};
  const made = await fetch("/api/calls", {{ method: "POST", headers: {{ ...headers,
    "Content-Type": "application/json" }},
    body: JSON.stringify({{ vessel: "Marrow Finch", visit: "{visit}" }}) }});
  const call = await made.json();
  const read = await (await fetch(made.headers.get("Location"))).json();
  const asked = encodeURIComponent(JSON.stringify({{ call: call.id, state: ["asked", "given"] }}));
  const berths = await fetch("/api/berths?filter=" + asked + "&order=metres");
  const [found] = (await berths.json()).items;
  const fields = new URLSearchParams([["berth", found.id], ["crew", "Oda"], ["crew",
    "Ivo & Söhne"], ["call", call.id]]);
  const given = await fetch("/api/berths/give", {{ method: "POST", headers, body: fields }});
  await fetch("/api/calls/" + call.id, {{ method: "PUT", headers: {{ ...headers,
    "If-Match": given.headers.get("ETag"),
    "Content-Type": "application/json" }}, body: JSON.stringify({{ ...read, state: "given" }}) }});
  document.querySelector("[role=status]").textContent = "Given " + found.name;
}};
</script>"""


class Site(ThreadingHTTPServer):
    """Both hosts, 127.0.0.1 the site and 127.0.0.2 the other one, by one server; `close` ends
    it."""

    daemon_threads = True

    def __init__(self) -> None:
        super().__init__(("", 0), _Desk)
        port = self.server_address[1]
        self.address, self.elsewhere = f"http://127.0.0.1:{port}", f"http://127.0.0.2:{port}"
        self.proofs: set[str] = set()
        self.tickets: set[str] = set()
        self.desks: dict[str, dict[str, str]] = {}
        self.calls: dict[str, dict[str, Any]] = {}
        self.papers: dict[str, bytes] = {}
        self.asked: list[tuple[str, int]] = []
        threading.Thread(target=self.serve_forever, daemon=True).start()

    def close(self) -> None:
        self.shutdown()
        self.server_close()


class _Desk(BaseHTTPRequestHandler):
    protocol_version = "HTTP/1.1"
    server: Site

    def do_GET(self) -> None:
        self._answer(self._asked())

    do_POST = do_PUT = do_OPTIONS = do_GET

    def log_message(self, *_: object) -> None:
        pass

    def _answer(self, given: tuple[int, Any, dict[str, str]]) -> None:
        status, body, headers = given
        page = isinstance(body, str)
        octets = body.encode() if page else json.dumps(body, ensure_ascii=False).encode()
        self.server.asked.append((f"{self.command} {urlsplit(self.path).path}", status))
        self.send_response(status)
        for name, value in {
            "Content-Type": "text/html; charset=utf-8" if page else "application/json",
            **headers,
        }.items():
            for line in value.split("\n"):
                self.send_header(name, line)
        self.send_header("Content-Length", str(len(octets)))
        self.end_headers()
        self.wfile.write(octets)

    def _asked(self) -> tuple[int, Any, dict[str, str]]:
        """Status, body and headers of the answer."""
        site, parts = self.server, urlsplit(self.path)
        body = self.rfile.read(int(self.headers.get("Content-Length") or 0))
        if self.headers.get("Host", "").startswith("127.0.0.2"):
            return 200, {"thanks": secrets.token_hex(8)}, {"Access-Control-Allow-Origin": "*"}
        if parts.path == "/":
            site.proofs.add(proof := secrets.token_hex(12))
            return (
                200,
                PORCH.format(proof=proof),
                {"Set-Cookie": f"porch={secrets.token_hex(4)}; Path=/"},
            )
        if parts.path == "/sign-in":
            fields = dict(parse_qsl(body.decode()))
            if fields.get("proof") not in site.proofs or fields.get("password") != "salt & tar":
                return 403, "<p>No.</p>", {}
            site.proofs.discard(fields["proof"])
            site.tickets.add(ticket := secrets.token_hex(12))
            return 303, "", {"Location": f"/enter?ticket={ticket}"}
        if parts.path == "/enter":
            ticket = parse_qs(parts.query).get("ticket", [""])[0]
            if ticket not in site.tickets:
                return 403, "<p>No ticket.</p>", {}
            site.tickets.discard(ticket)
            desk = secrets.token_hex(12)
            site.desks[desk] = {
                "proof": secrets.token_hex(12),
                "visit": f"V-{secrets.randbelow(10**8):08}",
            }
            return (
                302,
                "",
                {
                    "Location": "/desk",
                    "Set-Cookie": f"desk={desk}; Path=/; HttpOnly\n"
                    f"desk-proof={site.desks[desk]['proof']}; Path=/",
                },
            )
        cookies = SimpleCookie(self.headers.get("Cookie", ""))
        mine = site.desks.get(cookies["desk"].value) if "desk" in cookies else None
        if mine is None:
            return 401, {"error": "Sign in first."}, {}
        return self._signed_in(parts.path, parse_qs(parts.query), body, mine)

    def _signed_in(
        self, path: str, query: dict[str, list[str]], body: bytes, mine: dict[str, str]
    ) -> tuple[int, Any, dict[str, str]]:
        site = self.server
        if path == "/desk":
            return 200, DESK.format(visit=mine["visit"], elsewhere=site.elsewhere), {}
        if path == "/papers":
            return self._papers(body, mine)
        if path.startswith("/papers/"):
            return (
                (200, f"<p>Thanks for {len(site.papers[path[8:]])} bytes.</p>", {})
                if path[8:] in site.papers
                else (404, "", {})
            )
        if self.command != "GET" and self.headers.get("X-Desk-Proof") != mine["proof"]:
            return 403, {"error": "The header X-Desk-Proof is not the cookie's."}, {}
        if path == "/api/calls" and self.command == "POST":
            asked = json.loads(body)
            if asked.get("visit") != mine["visit"]:
                return 422, {"error": "That is no visit of yours."}, {}
            id = f"PC-{secrets.randbelow(10**6):06}"
            site.calls[id] = {
                "id": id,
                "vessel": asked["vessel"],
                "state": "asked",
                "tag": f'"{secrets.token_hex(6)}"',
            }
            return 201, {"id": id, "state": "asked"}, {"Location": f"/api/calls/{id}"}
        if path == "/api/berths":
            call = site.calls.get(json.loads(query["filter"][0])["call"])
            if call is None:
                return 404, {"error": "No such call."}, {}
            call["berth"] = f"B-{secrets.randbelow(10**6):06}"
            return 200, {"items": [{"id": call["berth"], "name": "East 4", "metres": 120}]}, {}
        if path == "/api/berths/give":
            fields = parse_qs(body.decode())
            call = site.calls.get(fields["call"][0])
            if (
                call is None
                or fields["crew"] != ["Oda", "Ivo & Söhne"]
                or fields["berth"] != [call["berth"]]
            ):
                return 422, {"error": "Not that berth."}, {}
            return 200, {"given": call["berth"]}, {"ETag": call["tag"]}
        call = site.calls.get(path.rpartition("/")[2])
        if call is None:
            return 404, {"error": "No such call."}, {}
        if self.command == "PUT":
            if self.headers.get("If-Match") != call["tag"]:
                return 412, {"error": "It changed since."}, {}
            call["state"] = json.loads(body)["state"]
        return 200, {key: call[key] for key in ("id", "vessel", "state")}, {}

    def _papers(self, body: bytes, mine: dict[str, str]) -> tuple[int, Any, dict[str, str]]:
        head = f"Content-Type: {self.headers['Content-Type']}\r\n\r\n".encode()
        parts = {
            part.get_param("name", header="content-disposition"): part.get_payload(decode=True)
            for part in BytesParser(policy=HTTP).parsebytes(head + body).iter_parts()
        }
        if parts.get("visit") != mine["visit"].encode() or not parts.get("plan"):
            return 422, "<p>Not without papers.</p>", {}
        self.server.papers[id := secrets.token_hex(6)] = parts["plan"]
        return 303, "", {"Location": f"/papers/{id}"}
