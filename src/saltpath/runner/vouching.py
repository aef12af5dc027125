"""What a provider says of somebody (OpenID Connect Core 1.0, code flow with PKCE, RFC 7636): its
endpoints by discovery, the code for a token, and the token looked at with the provider's keys. Done
by the courier, since the web server sends nowhere."""

from __future__ import annotations

import base64
import json
import sqlite3
from pathlib import Path
from typing import Any
from urllib.parse import quote, urlencode, urlsplit

import jwt

from saltpath.core.cases.options import Options
from saltpath.core.running.prepare import Prepared
from saltpath.core.values.errors import SaltPathError
from saltpath.engine.client import Client
from saltpath.engine.loop import Strand
from saltpath.store import providers
from saltpath.store.errands import Errand
from saltpath.store.providers import Provider

TIMEOUT_US = 8_000_000
LARGEST = 500_000
LEEWAY_S = 60
ALGORITHMS = ["RS256", "RS384", "RS512", "PS256", "PS384", "PS512", "ES256", "ES384", "EdDSA"]
"""Of identity tokens: those with a public key alone, and never none."""
MOST_CLAIMS = 200


class NotVouched(SaltPathError):
    """The provider does not vouch; the sentence says why, for whoever looks after it."""

    code = "provider"


async def done(
    client: Client, main: sqlite3.Connection, folder: Path, errand: Errand
) -> dict[str, Any]:
    """`{authorize}`: where a browser is sent; `{claims}`: what the token says; `{problem}`."""
    held = providers.provider(main)
    try:
        found = await _discovered(client, held)
        if errand.kind == "authorize":
            return {"authorize": found["authorization_endpoint"]}
        secret = providers.secret_of(main, folder)
        return {"claims": await _claims(client, held, secret, found, errand.asked)}
    except SaltPathError as problem:
        return {"problem": problem.sentence}
    except (KeyError, TypeError, ValueError, jwt.PyJWTError) as problem:
        return {"problem": f"what the provider answered cannot be used: {problem}"}


async def _discovered(client: Client, held: Provider) -> dict[str, Any]:
    """OpenID Connect Discovery 1.0, 4."""
    address = f"{held.issuer.rstrip('/')}/.well-known/openid-configuration"
    found = await _json(client, Prepared("GET", address, (("Accept", "application/json"),), None))
    if found["issuer"] != held.issuer:
        raise NotVouched(f"the provider calls itself {found['issuer']}, and not {held.issuer}")
    for name in ("authorization_endpoint", "token_endpoint", "jwks_uri"):
        if urlsplit(str(found[name])).scheme not in ("http", "https"):
            raise NotVouched(f"the provider's {name} is no web address")
    return found


async def _claims(
    client: Client, held: Provider, secret: str, found: dict[str, Any], asked: dict[str, Any]
) -> dict[str, Any]:
    form = {
        "grant_type": "authorization_code",
        "code": asked["code"],
        "redirect_uri": asked["redirect"],
        "client_id": held.client_id,
        "code_verifier": asked["verifier"],
    }
    headers = [
        ("Accept", "application/json"),
        ("Content-Type", "application/x-www-form-urlencoded"),
    ]
    if secret:  # RFC 6749, 2.3.1
        pair = f"{quote(held.client_id, safe='')}:{quote(secret, safe='')}"
        headers.append(("Authorization", f"Basic {base64.b64encode(pair.encode()).decode()}"))
    body = urlencode(form).encode()
    token = await _json(client, Prepared("POST", found["token_endpoint"], tuple(headers), body))
    keys = await _json(
        client, Prepared("GET", found["jwks_uri"], (("Accept", "application/json"),), None)
    )
    claims = checked(str(token["id_token"]), keys, held, str(asked["nonce"]))
    return {name: claims[name] for name in list(claims)[:MOST_CLAIMS]}


def checked(token: str, keys: dict[str, Any], held: Provider, nonce: str) -> dict[str, Any]:
    """The claims of an identity token that is the provider's own, for us, of now, and an answer to
    what was asked (OpenID Connect Core 1.0, 3.1.3.7). Raises NotVouched or PyJWTError."""
    head = jwt.get_unverified_header(token)
    known = jwt.PyJWKSet.from_dict(keys).keys
    fitting = [
        key
        for key in known
        if key.public_key_use in (None, "sig") and head.get("kid") in (None, key.key_id)
    ]
    if len(fitting) != 1:
        raise NotVouched("the token names none of the provider's keys")
    key = fitting[0]
    algorithm = head.get("alg")
    if algorithm not in ALGORITHMS or key.key_type not in ("RSA", "EC", "OKP"):
        raise NotVouched(f"the token is signed by {algorithm}, which is not taken")
    claims: dict[str, Any] = jwt.decode(
        token,
        key.key,
        algorithms=[str(algorithm)],
        audience=held.client_id,
        issuer=held.issuer,
        leeway=LEEWAY_S,
        options={"require": ["exp", "iat", "sub", "aud", "iss"]},
    )
    if claims.get("nonce") != nonce:
        raise NotVouched("the token is no answer to what was asked")
    others = claims["aud"] if isinstance(claims["aud"], list) else [claims["aud"]]
    if len(others) > 1 and claims.get("azp") != held.client_id:
        raise NotVouched("the token is for somebody else, too")
    if not isinstance(claims["sub"], str) or not 0 < len(claims["sub"]) <= 255:
        raise NotVouched("the token does not say of whom it is")
    return claims


async def _json(client: Client, prepared: Prepared) -> dict[str, Any]:
    options = Options(timeout_us=TIMEOUT_US, largest_body=LARGEST)
    exchange = await Strand(client.exchange(prepared, options)).done
    if exchange.why is not None:
        raise NotVouched(f"the provider was not reached: {exchange.why.sentence}")
    if exchange.status != 200:
        raise NotVouched(f"the provider answered {exchange.status} at {prepared.address}")
    found = json.loads(exchange.body)
    if not isinstance(found, dict):
        raise NotVouched(f"the provider gave no object at {prepared.address}")
    return found
