"""A stand-in for a provider that vouches for people (OpenID Connect), on loopback, which can be
told to lie."""

from __future__ import annotations

import base64
import json
import secrets
import threading
import time
from collections.abc import Callable
from hashlib import sha256
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any
from urllib.parse import parse_qs, urlencode, urlsplit

import jwt
from cryptography.hazmat.primitives.asymmetric import rsa
from jwt.algorithms import RSAAlgorithm

CLIENT, SECRET = "salt-path", "anchor/chain: 7%"


class StandIn(ThreadingHTTPServer):
    """Signs in whoever comes as `says`. `with StandIn() as provider`. `bend` may change the claims
    of a token, `sign` its signature, `describe` what is told of the endpoints."""

    def __init__(self) -> None:
        super().__init__(("127.0.0.1", 0), _Answers)
        self.issuer = f"http://127.0.0.1:{self.server_port}"
        self.key = rsa.generate_private_key(public_exponent=65537, key_size=2048)
        self.says: dict[str, Any] = {"sub": "u-17", "name": "Signe Holm"}
        self.bend: Callable[[dict[str, Any]], dict[str, Any]] = lambda claims: claims
        self.sign: Callable[[dict[str, Any]], str] = self.signed
        self.describe: Callable[[dict[str, Any]], dict[str, Any]] = lambda found: found
        self.codes: dict[str, dict[str, str]] = {}
        self.seen: list[str] = []

    def __enter__(self) -> StandIn:
        threading.Thread(target=self.serve_forever, args=(0.01,), daemon=True).start()
        return self

    def __exit__(self, *_: object) -> None:
        self.shutdown()
        self.server_close()

    def signed(self, claims: dict[str, Any]) -> str:
        return jwt.encode(claims, self.key, "RS256", headers={"kid": "one"})

    def public_key(self) -> dict[str, Any]:
        return {**RSAAlgorithm.to_jwk(self.key.public_key(), as_dict=True), "kid": "one"}

    def authorize(self, query: dict[str, str]) -> str:
        """Where the browser is sent with a code."""
        code = secrets.token_urlsafe(12)
        self.codes[code] = query
        return f"{query['redirect_uri']}?{urlencode({'code': code, 'state': query['state']})}"

    def token(self, form: dict[str, str], authorization: str) -> tuple[int, dict[str, Any]]:
        pair = base64.b64decode(authorization.removeprefix("Basic ")).decode()
        asked = self.codes.pop(form.get("code", ""), None)
        made = base64.urlsafe_b64encode(sha256(form["code_verifier"].encode()).digest())
        fits = (
            asked is not None
            and pair == f"{CLIENT}:anchor%2Fchain%3A%207%25"
            and asked["code_challenge"] == made.decode().rstrip("=")
            and asked["redirect_uri"] == form["redirect_uri"]
        )
        if asked is None or not fits:
            return 400, {"error": "invalid_grant"}
        now = int(time.time())
        claims = {"iss": self.issuer, "aud": CLIENT, "iat": now, "exp": now + 60}
        claims |= {"nonce": asked["nonce"], **self.says}
        return 200, {"token_type": "Bearer", "id_token": self.sign(self.bend(claims))}


class _Answers(BaseHTTPRequestHandler):
    server: StandIn
    protocol_version = "HTTP/1.1"

    def do_GET(self) -> None:
        parts, server = urlsplit(self.path), self.server
        server.seen.append(parts.path)
        if parts.path == "/authorize":
            query = {name: values[0] for name, values in parse_qs(parts.query).items()}
            return self._answer(303, {}, server.authorize(query))
        if parts.path == "/keys":
            return self._answer(200, {"keys": [server.public_key()]})
        found = {
            "issuer": server.issuer,
            "authorization_endpoint": f"{server.issuer}/authorize",
            "token_endpoint": f"{server.issuer}/token",
            "jwks_uri": f"{server.issuer}/keys",
        }
        self._answer(200, server.describe(found))

    def do_POST(self) -> None:
        text = self.rfile.read(int(self.headers["Content-Length"])).decode()
        form = {name: values[0] for name, values in parse_qs(text).items()}
        self._answer(*self.server.token(form, self.headers.get("Authorization", "")))

    def _answer(self, status: int, told: dict[str, Any], to: str = "") -> None:
        body = json.dumps(told).encode()
        self.send_response(status)
        self.send_header("Content-Type", "application/json")
        self.send_header("Content-Length", str(len(body)))
        if to:
            self.send_header("Location", to)
        self.end_headers()
        self.wfile.write(body)

    def log_message(self, *_: object) -> None:
        pass
