"""What a team's chat might be: it keeps what webhooks post to it, each once by its id, and shows it
at /chat."""

from __future__ import annotations

from html import escape
from threading import Lock

from saltpath.core.values import plain
from saltpath.demo.harbour.port import Refusal
from saltpath.demo.harbour.routes import Call, Reply, page, route, wants_json

MOST = 200
_lock = Lock()
_kept: dict[str, str] = {}


@route("POST", "/chat")
def _take(call: Call) -> Reply:
    """Take a message: a JSON object with a text."""
    text = call.body.get("text") if isinstance(call.body, dict) else None
    if not isinstance(text, str) or not text:
        raise Refusal(422, "a message has a text", "text")
    with _lock:
        _kept.setdefault(call.headers.get("webhook-id") or f"{len(_kept)} {text}", text)
        while len(_kept) > MOST:
            del _kept[next(iter(_kept))]
    return Reply(201, {"taken": True})


@route("GET", "/chat")
def _show(call: Call) -> Reply:
    """What was said, the newest first: a page, or JSON where only that is taken."""
    with _lock:
        said = list(reversed(_kept.values()))
    if wants_json(call):
        return Reply(200, {"items": [plain.cut(text, 5_000) for text in said]})
    lines = "".join(f"<pre>{escape(text)}</pre><hr>" for text in said)
    return page("The desk's chat", f"{len(said)} messages.", lines)
