"""Coming in by a provider that vouches for people, and naming it."""

from __future__ import annotations

import base64
import secrets
import threading
import time
from hashlib import sha256
from typing import Any
from urllib.parse import urlencode, urlsplit

import msgspec
from flask import Blueprint, Response, current_app, redirect, request
from msgspec import UNSET, Struct

from saltpath.core.values.text_formats import is_web_address
from saltpath.server import audited
from saltpath.server.api.entry_api import entered
from saltpath.server.api.person_view import here
from saltpath.server.context import database, folder
from saltpath.server.declared import declared, of
from saltpath.server.entry import cookies
from saltpath.server.entry.bodies import ProviderChange
from saltpath.server.problems import Refused, json_answer
from saltpath.server.waiting import Waiting
from saltpath.store import errands, projects, providers
from saltpath.store.database import StoreError, write
from saltpath.store.people import ROLES
from saltpath.store.providers import ADMINISTRATOR, Given, Provider
from saltpath.store.secrets import open_text, seal_text

provider_api = Blueprint("provider", __name__)
BACK = "/api/v1/provider/back"
PATIENCE_S = 20.0
LASTS_S = 600.0
MOST_USED = 10_000
NOT_VOUCHED = "/?refused=provider"


class _Begun(Struct, frozen=True):
    """A sign-in that went to the provider: the browser that went there holds it, sealed, so that
    strangers who begin many push out nobody's."""

    state: str
    """What the provider is given to send back."""
    nonce: str
    verifier: str
    at: float
    """Seconds since 1970."""


class Begun:
    """What is known of those that went to the provider. Safe between threads."""

    def __init__(self) -> None:
        self._lock, self._used = threading.Lock(), dict[str, None]()
        self._found: tuple[Provider, str, float] | None = None

    def authorize(self, held: Provider) -> str:
        """Where the provider signs people in, as it said a short while ago; empty: ask it."""
        found = self._found
        is_fresh = found is not None and found[0] == held and time.monotonic() - found[2] < LASTS_S
        return found[1] if found is not None and is_fresh else ""

    def keep(self, held: Provider, authorize: str) -> None:
        self._found = (held, authorize, time.monotonic())

    def counts(self, begun: _Begun) -> bool:
        """Whether it is one of the last ten minutes that did not come back before: it counts
        once."""
        if time.time() - begun.at > LASTS_S:
            return False
        with self._lock:
            if begun.state in self._used:
                return False
            while len(self._used) >= MOST_USED:
                self._used.pop(next(iter(self._used)))
            self._used[begun.state] = None
        return True


_SEALED_FOR = "provider/begun"


def _given_along(begun: _Begun) -> str:
    """As a cookie holds it."""
    text = msgspec.json.encode(begun).decode()
    return base64.urlsafe_b64encode(seal_text(folder(), _SEALED_FOR, text)).decode()


def _brought_back(text: str) -> _Begun | None:
    """What a cookie holds; None of what was not sealed here."""
    try:
        sealed = base64.urlsafe_b64decode(text)
        told = open_text(folder(), _SEALED_FOR, sealed, "a sign-in that was begun")
        return msgspec.json.decode(told, type=_Begun)
    except (ValueError, StoreError):
        return None


def _told(kind: str, asked: dict[str, Any]) -> dict[str, Any]:
    """What the courier was told, or that it was told nothing."""
    waiting: Waiting = current_app.config["WAITING"]
    with waiting.place() as placed:
        if not placed:
            return {"problem": "too many wait for it at once"}
        number = errands.ask(database(), kind, asked)
        end, seen = time.monotonic() + PATIENCE_S, -1
        while time.monotonic() < end:
            told = errands.take(database(), number)
            if told is not None:
                return told
            seen = waiting.changed(seen, 0.5)
    return {"problem": "it did not answer in time"}


@provider_api.get("/provider/begin")
@declared("beginProvider", "To the provider that vouches", None, may="open", media="text/html")
def begin_provider() -> Response:
    """Leads a browser to the provider's own sign-in."""
    held = providers.provider(database())
    if not held.issuer:
        raise Refused(404, "not-found", "No provider vouches for people here.")
    begun: Begun = current_app.config["BEGUN"]
    to = begun.authorize(held)
    if not to:
        told = _told("authorize", {})
        if "authorize" not in told:
            return _not_vouched("beginProvider", str(told["problem"]))
        to = str(told["authorize"])
        begun.keep(held, to)
    made = _Begun(
        secrets.token_urlsafe(24), secrets.token_urlsafe(24), secrets.token_urlsafe(48), time.time()
    )
    challenge = base64.urlsafe_b64encode(sha256(made.verifier.encode()).digest()).decode()
    query = {
        "response_type": "code",
        "client_id": held.client_id,
        "redirect_uri": here(BACK),
        "scope": "openid profile",
        "state": made.state,
        "nonce": made.nonce,
        "code_challenge": challenge.rstrip("="),
        "code_challenge_method": "S256",
    }
    answer = _led(f"{to}{'&' if urlsplit(to).query else '?'}{urlencode(query)}")
    cookies.give(answer, cookies.STATE, _given_along(made), int(LASTS_S))
    return answer


@provider_api.get("/provider/back")
@declared("comeFromProvider", "Back from there", None, may="open", media="text/html")
def come_from_provider() -> Response:
    """With a code, which is changed for what the provider says of somebody; the browser must be the
    one that went there."""
    state, code = request.args.get("state", ""), request.args.get("code", "")
    begun: Begun = current_app.config["BEGUN"]
    made = _brought_back(cookies.read(cookies.STATE))
    is_same = made is not None and secrets.compare_digest(state.encode(), made.state.encode())
    if made is None or not is_same or not code or not begun.counts(made):
        return _led(NOT_VOUCHED)
    asked = {"code": code, "redirect": here(BACK), "verifier": made.verifier, "nonce": made.nonce}
    told = _told("exchange", asked)
    if "claims" not in told:
        return _not_vouched("comeFromProvider", str(told["problem"]))
    held = providers.provider(database())
    vouched = providers.vouched_for(database(), held, told["claims"])
    if vouched is None:
        return _not_vouched("comeFromProvider", "who came has no part here")
    if vouched.is_changed:
        told_so = "was given the roles that the provider's claims give"
        audited.note("comeFromProvider", told_so, vouched.person.id, "nobody")
    answer = entered(vouched.person, "provider")
    answer.status_code, answer.headers["Location"] = 303, "/"
    cookies.take_away(answer, cookies.STATE)
    return answer


def _not_vouched(operation: str, why: str) -> Response:
    """Whoever looks after the installation reads why; a stranger does not."""
    audited.note(operation, f"could not sign in by the provider: {why}"[:500], None, "nobody")
    return _led(NOT_VOUCHED)


def _led(to: str) -> Response:
    answer = current_app.make_response(redirect(to, 303))
    answer.headers["Cache-Control"] = "no-store"
    return answer


@provider_api.get("/installation/provider")
@declared("readProvider", "Who vouches for people", of("Provider"), may="administer")
def read_provider() -> Response:
    """Its secret is told nowhere."""
    return json_answer(_view())


@provider_api.patch("/installation/provider")
@declared(
    "changeProvider",
    "Name who vouches for people",
    of("Provider"),
    takes=ProviderChange,
    may="administer",
    did="said who vouches for people",
    again=True,
)
def change_provider(data: ProviderChange) -> Response:
    """An empty issuer: nobody. The provider is told `redirect` as the address to come back to."""
    if data.issuer and not (is_web_address(data.issuer) and _is_issuer(data.issuer)):
        told = "Give the provider's address, which begins with https, such as https://id.example."
        raise Refused(422, "issuer", told)
    given = None if data.given is UNSET else tuple(_given(one) for one in data.given if one.strip())
    with write(database()):
        held = providers.provider(database())
        issuer = held.issuer if data.issuer is UNSET else data.issuer
        called = held.called if data.called is UNSET else data.called.strip()
        if issuer != held.issuer and data.called is UNSET:
            called = ""
        wanted = Provider(
            issuer,
            held.client_id if data.client_id is UNSET else data.client_id.strip(),
            called or (urlsplit(issuer).hostname or ""),
            held.claim if data.claim is UNSET else data.claim.strip(),
            held.given if given is None else given,
            held.newcomers if data.newcomers is UNSET else data.newcomers,
        )
        # a secret is sent to nobody but whom it was given for
        kept = None if issuer == held.issuer else ""
        secret = kept if data.secret is UNSET else data.secret
        providers.set_provider(database(), folder(), wanted, secret)
    return json_answer(_view())


def _is_issuer(address: str) -> bool:
    """OpenID Connect Core 1.0, 1.2: https, and neither a query nor a fragment; nor does anybody's
    password stand in it. On this machine nobody is on the way who could read along."""
    parts = urlsplit(address)
    if parts.query or parts.fragment or "@" in parts.netloc:
        return False
    return parts.scheme == "https" or parts.hostname in ("127.0.0.1", "::1", "localhost")


def _given(line: str) -> Given:
    """`harbour-testers: editor in Fernholm Harbour`, `harbour-admins: administrator`. Raises
    Refused."""
    value, colon, made = line.rpartition(":")
    role, _, named = made.strip().partition(" in ")
    if not colon or not value.strip():
        raise Refused(
            422, "given", "Write each as value: role in project, or value: administrator."
        )
    if role == ADMINISTRATOR and not named:
        return Given(value.strip(), ADMINISTRATOR)
    found = [one for one in projects.projects(database()) if one.name == named.strip()]
    if role not in ROLES or not found:
        raise Refused(422, "given", f"There is no role or project as in “{line.strip()[:100]}”.")
    return Given(value.strip(), role, found[0].oid)


def _view() -> dict[str, Any]:
    held = providers.provider(database())
    names = {one.oid: one.name for one in projects.projects(database())}
    return {
        "issuer": held.issuer,
        "clientId": held.client_id,
        "called": held.called,
        "claim": held.claim,
        "given": [
            f"{one.value}: {one.role}"
            + (f" in {names.get(one.project, 'a project that is gone')}" if one.project else "")
            for one in held.given
        ],
        "newcomers": held.newcomers,
        "hasSecret": providers.has_secret(database()),
        "redirect": here(BACK),
    }
