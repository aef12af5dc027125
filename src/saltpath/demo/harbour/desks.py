"""Desks that ask who one is, each in its own way: digest at /log, OAuth 2 at /token and /scales, a
key at /gate, a signature at /orders, a cookie at /desk. User and password are those of /sessions;
the client is `desk` with the secret `deep-water-9`.
"""

from __future__ import annotations

import base64
import hashlib
import hmac
import itertools
import re
import secrets
import time
from urllib.parse import parse_qs, unquote_plus

from saltpath.demo.harbour.port import AGENTS
from saltpath.demo.harbour.routes import Call, Reply, route

AGENT, PASSWORD = "desk", AGENTS["desk"]
CLIENT, SECRET = "desk", "deep-water-9"
KEY = "gate-7"
SIGNING_KEY = "ballast"
REALM = "Fernholm Harbour"
TOKEN_LASTS_S = 60
_nonces: dict[str, float] = {}
_tokens: dict[str, float] = {}
_cookies: set[str] = set()
_numbers = itertools.count(1)
_FIELD = re.compile(r'(\w+)=(?:"([^"]*)"|([^\s,]+))')


# ---- digest (RFC 7616)


@route("GET", "/log")
def _log(call: Call) -> Reply:
    """The harbour master's log. `?algorithm=MD5` asks in the old way."""
    algorithm = call.query.get("algorithm", "SHA-256")
    fields = {
        key: quoted or bare
        for key, quoted, bare in _FIELD.findall(call.headers.get("Authorization", ""))
    }
    if not _digest_fits(call, fields):
        nonce = secrets.token_hex(8)
        _nonces[nonce] = time.monotonic()
        challenge = (
            f'Digest realm="{REALM}", qop="auth", algorithm={algorithm}, nonce="{nonce}", '
            'opaque="tide"'
        )
        return Reply(
            401, {"title": "sign in by digest", "status": 401}, (("WWW-Authenticate", challenge),)
        )
    return Reply(
        200,
        {
            "entries": [{"number": next(_numbers), "text": "Saltwife made fast at East 4"}],
            "by": fields["username"],
        },
    )


def _digest_fits(call: Call, fields: dict[str, str]) -> bool:
    if fields.get("username") != AGENT or fields.get("nonce") not in _nonces:
        return False
    kind = "md5" if fields.get("algorithm", "MD5").upper() == "MD5" else "sha256"

    def hashed(text: str) -> str:
        return hashlib.new(kind, text.encode(), usedforsecurity=False).hexdigest()

    who = hashed(f"{AGENT}:{REALM}:{PASSWORD}")
    what = hashed(f"{call.method}:{fields.get('uri')}")
    middle = ":".join(fields.get(name, "") for name in ("nonce", "nc", "cnonce", "qop"))
    return hmac.compare_digest(hashed(f"{who}:{middle}:{what}"), fields.get("response", ""))


# ---- OAuth 2, client credentials (RFC 6749, 4.4)


@route("POST", "/token")
def _token(call: Call) -> Reply:
    """`?lasts=2`: a token that lasts so many seconds."""
    form = {
        name: values[0] for name, values in parse_qs(call.raw.decode("utf-8", "replace")).items()
    }
    scheme, _, code = call.headers.get("Authorization", "").partition(" ")
    try:
        name, _, secret = (
            base64.b64decode(code).decode().partition(":")
            if scheme.lower() == "basic"
            else ("", "", "")
        )
    except ValueError:
        name = secret = ""
    if form.get("grant_type") != "client_credentials":
        return Reply(400, {"error": "unsupported_grant_type"})
    if (unquote_plus(name), unquote_plus(secret)) != (CLIENT, SECRET):
        problem = {
            "error": "invalid_client",
            "error_description": "there is no such client with this secret",
        }
        return Reply(401, problem, (("WWW-Authenticate", f'Basic realm="{REALM}"'),))
    token, lasts = f"tk-{secrets.token_hex(8)}", float(call.query.get("lasts", TOKEN_LASTS_S))
    _tokens[token] = time.monotonic() + lasts
    shown = int(call.query.get("says", lasts))
    return Reply(
        200,
        {
            "access_token": token,
            "token_type": "Bearer",
            "expires_in": shown,
            "scope": form.get("scope", ""),
        },
    )


@route("GET", "/scales")
def _scales(call: Call) -> Reply:
    scheme, _, token = call.headers.get("Authorization", "").partition(" ")
    if scheme.lower() != "bearer" or _tokens.get(token, 0) < time.monotonic():
        return Reply(
            401,
            {"title": "the token is missing or has ended", "status": 401},
            (("WWW-Authenticate", "Bearer"),),
        )
    return Reply(
        200, {"scales": [{"quay": "East", "tonnes": 12.5}, {"quay": "West", "tonnes": 8.25}]}
    )


# ---- a key, a signature, a cookie


@route("GET", "/gate")
def _gate(call: Call) -> Reply:
    cookies = dict(
        pair.strip().partition("=")[::2] for pair in call.headers.get("Cookie", "").split(";")
    )
    given = call.headers.get("X-Key") or call.query.get("key") or cookies.get("key")
    return (
        Reply(200, {"gate": "open"})
        if given == KEY
        else Reply(403, {"title": "the key does not fit", "status": 403})
    )


@route("POST", "/orders")
def _orders(call: Call) -> Reply:
    """An order counts only if X-Signature is the HMAC with SHA-256 of its body."""
    wanted = hmac.new(SIGNING_KEY.encode(), call.raw, hashlib.sha256).hexdigest()
    if not hmac.compare_digest(wanted, call.headers.get("X-Signature", "")):
        return Reply(403, {"title": "the signature does not fit the body", "status": 403})
    return Reply(201, {"order": next(_numbers), "what": call.body})


@route("POST", "/desk")
def _open_desk(call: Call) -> Reply:
    cookie = secrets.token_hex(6)
    _cookies.add(cookie)
    return Reply(
        204,
        None,
        (
            ("Set-Cookie", f"desk={cookie}; Path=/desk; HttpOnly"),
            ("Set-Cookie", "tide=high; Path=/"),
        ),
    )


@route("GET", "/desk")
def _desk(call: Call) -> Reply:
    cookies = dict(
        pair.strip().partition("=")[::2] for pair in call.headers.get("Cookie", "").split(";")
    )
    if cookies.get("desk") not in _cookies:
        return Reply(401, {"title": "the desk is closed", "status": 401})
    return Reply(200, {"desk": "open", "cookies": sorted(cookies)})
