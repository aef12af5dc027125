"""Shared by the tests: a browser's recording (HAR) of real exchanges with the harbour, with all
that a browser adds to them."""

from __future__ import annotations

import base64
import json
import urllib.error
import urllib.request
from typing import Any

NOISE = {
    ":authority": "harbour",
    "User-Agent": "Mozilla/5.0",
    "Accept-Encoding": "gzip",
    "Sec-Fetch-Mode": "cors",
    "Referer": "http://x/",
}


class Recorder:
    """Each call is sent, and becomes an entry as a browser writes it; `har()` gives the whole
    recording."""

    def __init__(self, address: str) -> None:
        self.address = address
        self.entries: list[dict[str, Any]] = []

    def send(self, method: str, path: str, body: Any = None, **headers: str) -> Any:
        """The answer's JSON, or its text."""
        url = path if "://" in path else self.address + path
        data = json.dumps(body).encode() if body is not None else None
        given = {**headers, **({"Content-Type": "application/json"} if data else {})}
        asked = urllib.request.Request(url, data, given, method=method)
        try:
            answer = urllib.request.urlopen(asked, timeout=20)
        except urllib.error.HTTPError as refused:
            answer = refused
        with answer:
            text = answer.read()
            self.add(
                method,
                url,
                answer.status,
                answer.headers.get_content_type(),
                text,
                data and data.decode(),
                given,
                dict(answer.headers),
            )
        return json.loads(text) if text[:1] in (b"{", b"[") else text.decode()

    def add(
        self,
        method: str,
        url: str,
        status: int = 200,
        mime: str = "application/json",
        text: bytes = b"{}",
        sent: str | None = None,
        headers: dict[str, str] | None = None,
        answered: dict[str, str] | None = None,
        kind: str = "xhr",
    ) -> dict[str, Any]:
        """An entry that was never sent: a picture, somebody else's script."""
        as_text = mime.startswith("text/") or "json" in mime or "xml" in mime
        content = {
            "size": len(text),
            "mimeType": mime,
            "text": text.decode() if as_text else base64.b64encode(text).decode(),
        }
        entry = {
            "startedDateTime": "2026-11-23T08:12:04.120Z",
            "time": 12.5,
            "_resourceType": kind,
            "request": {
                "method": method,
                "url": url,
                "httpVersion": "http/2.0",
                "cookies": [],
                "queryString": [],
                "headersSize": -1,
                "headers": [
                    {"name": name, "value": value}
                    for name, value in {**NOISE, **(headers or {})}.items()
                ],
                **({"postData": {"mimeType": "application/json", "text": sent}} if sent else {}),
            },
            "response": {
                "status": status,
                "statusText": "",
                "httpVersion": "http/2.0",
                "cookies": [],
                "redirectURL": "",
                "headers": [
                    {"name": name, "value": value} for name, value in (answered or {}).items()
                ],
                "content": content if as_text else {**content, "encoding": "base64"},
            },
            "cache": {},
            "timings": {"send": 0, "wait": 12, "receive": 0.5},
        }
        self.entries.append(entry)
        return entry

    def har(self) -> bytes:
        log = {
            "version": "1.2",
            "creator": {"name": "A browser", "version": "1"},
            "pages": [],
            "entries": self.entries,
        }
        return json.dumps({"log": log}).encode()


def an_agents_morning(address: str) -> Recorder:
    """Twenty entries: an agent signs in, asks for a berth, reads and confirms it, amid what a page
    loads besides. Entries 3, 6, 8, 10, 12 and 20 are the story; the others are files, other hosts,
    questions of the browser and repetitions."""
    tape = Recorder(address)
    tape.add("GET", f"{address}/", 200, "text/html", b"<html></html>", kind="document")
    tape.add("GET", f"{address}/app.js", 200, "application/javascript", b"", kind="script")
    token = tape.send("POST", "/sessions", {"user": "desk", "password": "salt-and-tar"})["token"]
    signed = {"Authorization": f"Bearer {token}"}
    tape.add("GET", "https://metrics.example.net/hit?page=1", 204, "", b"", kind="ping")
    tape.add(
        "OPTIONS",
        f"{address}/port-calls",
        204,
        "",
        b"",
        headers={"Access-Control-Request-Method": "POST"},
    )
    call = tape.send(
        "POST",
        "/port-calls",
        {"vessel": "Marrow Finch", "lengthMetres": 23.4, "nights": 2},
        **signed,
    )["id"]
    tape.add("GET", f"{address}/logo.png", 200, "image/png", b"\x89PNG", kind="image")
    tape.send("GET", f"/port-calls/{call}", **signed)
    tape.add("GET", "https://fonts.example.org/salt.woff2", 200, "font/woff2", b"wOF2", kind="font")
    tape.send("GET", "/berths?free=true")
    tape.add("GET", f"{address}/style.css", 200, "text/css", b"", kind="stylesheet")
    tape.send("GET", "/vessels?homePort=Fernholm")
    tape.send("GET", "/vessels?homePort=Fernholm")
    tape.add("GET", f"{address}/events", 200, "text/event-stream", b"", kind="eventsource")
    tape.add("GET", f"{address}/cancelled", 0, "x-unknown", b"")
    tape.add("GET", "data:image/svg+xml,x", 200, "image/svg+xml", b"<svg/>", kind="image")
    tape.add("GET", f"{address}/live", 101, "", b"", kind="websocket")
    tape.add(
        "GET", "https://elsewhere.example.com/api/weather", 200, "application/json", b'{"wind": 4}'
    )
    tape.send("GET", "/vessels?homePort=Fernholm")
    tape.send("DELETE", f"/port-calls/{call}", **signed)
    return tape
