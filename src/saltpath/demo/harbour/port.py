"""The harbour itself: vessels, berths, port calls and their states, pilots, tides, sign-in.
Thread-safe; in memory, and port calls in a database, too."""

from __future__ import annotations

import secrets
import threading
import time
from datetime import UTC, datetime, timedelta
from decimal import Decimal
from typing import Any

from msgspec import Struct, field

from saltpath.demo.harbour.fees import SEASONS, quote
from saltpath.demo.harbour.ledger import Ledger

QUOTE_AFTER_S = 0.15
TOKEN_LIFE_S = 900
AGENTS = {"desk": "salt-and-tar", "pilot": "low-water"}
LIVE_AGENTS = {"desk": "deep-and-dark", "pilot": "high-water"}


class Refusal(Exception):
    """An answer of 4xx with a reason, and perhaps the field at fault."""

    def __init__(self, status: int, reason: str, fault: str = "") -> None:
        super().__init__(reason)
        self.status, self.reason, self.fault = status, reason, fault


def _vessels() -> dict[str, dict[str, Any]]:
    rows = [
        ("Marrow Finch", "23.4", 180, "Fernholm"),
        ("Oda Lantern", "41.0", 520, "Aldersund"),
        ("Saltwife", "12.8", 44, "Fernholm"),
        ("Petrel IX", "88.2", 2310, "Kvist"),
        ("Low Ember", "31.5", 300, "Aldersund"),
        ("Gannet Rose", "55.0", 890, "Fernholm"),
        ("Brine Courier", "141.9", 9120, "Kvist"),
        ("Nine Fathom", "19.0", 97, "Fernholm"),
        ("Tern & Daughter", "27.7", 240, "Aldersund"),
        ("Wrack Line", "63.3", 1180, "Kvist"),
        ("Holm Bell", "8.9", 12, "Fernholm"),
        ("Eelgrass", "36.1", 410, "Aldersund"),
    ]
    return {
        f"V-{number}": {
            "id": f"V-{number}",
            "name": name,
            "lengthMetres": Decimal(length),
            "tonnage": tonnage,
            "homePort": port,
            "callSign": f"FH{number}",
            "registerNumber": 9007199254740993 + number - 101,
        }
        for number, (name, length, tonnage, port) in enumerate(rows, 101)
    }


BERTHS = [
    {"id": "E1", "name": "East 1", "metres": 30, "depth": Decimal("4.20"), "state": "free"},
    {"id": "E2", "name": "East 2", "metres": 60, "depth": Decimal("6.00"), "state": "free"},
    {"id": "E4", "name": "East 4", "metres": 120, "depth": Decimal("8.50"), "state": "free"},
    {"id": "W1", "name": "West 1", "metres": 45, "depth": Decimal("5.10"), "state": "under repair"},
    {"id": "W2", "name": "West 2", "metres": 90, "depth": Decimal("7.30"), "state": "free"},
]
LIVE_BERTHS = [
    *BERTHS[:3],
    {"id": "E6", "name": "East 6", "metres": 160, "depth": Decimal("11.00"), "state": "free"},
    {"id": "W1", "name": "West 1", "metres": 45, "depth": Decimal("5.10"), "state": "free"},
    BERTHS[4],
    {
        "id": "N1",
        "name": "North 1",
        "metres": 20,
        "depth": Decimal("2.80"),
        "state": "under repair",
    },
]
PILOTS = [
    {"id": "P-1", "name": "Tor Eikeland", "licence": 150},
    {"id": "P-2", "name": "Ines Wathne", "licence": 200},
    {"id": "P-3", "name": "Marit Solli", "licence": 90},
]


RELEASES = ("spring", "autumn")


class Port(Struct):
    """All state. `now` gives seconds since the epoch, so that a test can move the clock."""

    now: Any = time.time
    vessels: dict[str, dict[str, Any]] = field(default_factory=_vessels)
    calls: dict[str, dict[str, Any]] = field(default_factory=dict)
    tokens: dict[str, tuple[str, float]] = field(default_factory=dict)
    lock: threading.RLock = field(default_factory=threading.RLock)
    release: str = "spring"
    next_call: int = 20931
    next_vessel: int = 113
    agents: dict[str, str] = field(default_factory=lambda: dict(AGENTS))
    berths: list[dict[str, Any]] = field(default_factory=lambda: list(BERTHS))
    ledger: Ledger | None = None

    @classmethod
    def live(cls) -> Port:
        """The harbour that ships come to: the same service with other people, berths and numbers
        than the one to rehearse in."""
        port = cls(
            next_call=48210, next_vessel=127, agents=dict(LIVE_AGENTS), berths=list(LIVE_BERTHS)
        )
        for number, name in ((125, "Quiet Tern"), (126, "Lantern Reef")):
            port.vessels[f"V-{number}"] = {
                **port.vessels["V-101"],
                "id": f"V-{number}",
                "name": name,
                "callSign": f"FH{number}",
            }
        return port

    # ---- sign-in

    def sign_in(self, body: Any) -> dict[str, Any]:
        user, password = _text(body, "user"), _text(body, "password")
        if self.agents.get(user) != password:
            raise Refusal(401, "no agent with this name and password")
        token = secrets.token_hex(12)
        with self.lock:
            self.tokens[token] = (user, self.now() + TOKEN_LIFE_S)
        return {
            "token": token,
            "agent": user,
            "expiresIn": TOKEN_LIFE_S,
            "expiresAt": self._moment(TOKEN_LIFE_S),
        }

    def agent(self, authorization: str) -> str:
        """The agent behind a bearer token. Raises Refusal 401."""
        scheme, _, token = authorization.partition(" ")
        user, until = self.tokens.get(token, ("", 0.0))
        if scheme.lower() != "bearer" or not user:
            raise Refusal(401, "sign in first: POST /sessions")
        if until < self.now():
            raise Refusal(401, "the token has expired")
        return user

    # ---- vessels

    def add_vessel(self, body: Any) -> dict[str, Any]:
        name, length = _text(body, "name"), _number(body, "lengthMetres")
        with self.lock:
            if any(v["name"].lower() == name.lower() for v in self.vessels.values()):
                raise Refusal(409, f"a vessel named {name} is registered already", "name")
            number = self.next_vessel
            self.next_vessel += 1
            vessel = {
                "id": f"V-{number}",
                "name": name,
                "lengthMetres": length,
                "tonnage": body.get("tonnage", 0),
                "homePort": body.get("homePort", "Fernholm"),
                "callSign": f"FH{number}",
                "registerNumber": 9007199254740993 + number - 101,
            }
            self.vessels[vessel["id"]] = vessel
        return vessel

    def shown(self, vessel: dict[str, Any]) -> dict[str, Any]:
        """A vessel as this release of the service gives it: autumn renames a field and writes home
        ports in capitals."""
        if self.release == "spring":
            return vessel
        fields = {
            {"callSign": "radioCallSign"}.get(name, name): value for name, value in vessel.items()
        }
        return fields | {"homePort": vessel["homePort"].upper()}

    def vessel(self, key: str) -> dict[str, Any]:
        if key not in self.vessels:
            raise Refusal(404, f"there is no vessel {key}")
        return self.vessels[key]

    # ---- port calls

    def ask(self, body: Any) -> dict[str, Any]:
        """A vessel asks for a berth: the smallest free one that is long enough, 409 if none is."""
        vessel = self._vessel_of(_text(body, "vessel"))
        length = _number(body, "lengthMetres") if "lengthMetres" in body else vessel["lengthMetres"]
        nights = body.get("nights", 2)
        if not isinstance(nights, int) or isinstance(nights, bool) or not 1 <= nights <= 60:
            raise Refusal(422, "nights must be a whole number from 1 to 60", "nights")
        season = body.get("season", "between")
        if season not in SEASONS:
            raise Refusal(422, "season must be summer, winter or between", "season")
        berth = next(
            (b for b in sorted(self.berths, key=lambda b: b["metres"]) if b["metres"] >= length),
            None,
        )
        if berth is None:
            berth = max(self.berths, key=lambda b: b["metres"])
        with self.lock:
            key = f"PC-{self.next_call}"
            self.next_call += 1
            self.calls[key] = {
                "id": key,
                "vessel": vessel["name"],
                "state": "requested",
                "eta": body.get("eta", self._moment(86400)),
                "berth": {"id": berth["id"], "name": berth["name"], "metres": berth["metres"]},
                "fee": quote(Decimal(length), Decimal(vessel["tonnage"]), nights, season),
                "pilots": [p["name"] for p in PILOTS[: 2 if length > 90 else 1]],
                "remark": None,
                "_asked": self.now(),
            }
            self._store(key)
            return self._seen(self.calls[key])

    def _store(self, key: str) -> None:
        if self.ledger is not None:
            self.ledger.put(self.calls[key])

    def call(self, key: str) -> dict[str, Any]:
        with self.lock:
            if key not in self.calls:
                raise Refusal(404, f"there is no port call {key}")
            return self._seen(self.calls[key])

    def move(self, key: str, needs: str, state: str) -> dict[str, Any]:
        """From one state to the next; 409 out of order."""
        with self.lock:
            call = self.call(key)
            if call["state"] != needs:
                raise Refusal(
                    409,
                    f"the port call is {call['state']}; only one that is {needs} can become "
                    f"{state}",
                )
            self.calls[key]["state"] = state
            self._store(key)
            return self.call(key)

    def cancel(self, key: str) -> None:
        with self.lock:
            self.call(key)
            del self.calls[key]
            if self.ledger is not None:
                self.ledger.remove(key)

    def all_calls(self) -> list[dict[str, Any]]:
        with self.lock:
            return [self._seen(call) for call in self.calls.values()]

    def _seen(self, call: dict[str, Any]) -> dict[str, Any]:
        if call["state"] == "requested" and self.now() - call["_asked"] >= QUOTE_AFTER_S:
            call["state"] = "quoted"
            self._store(call["id"])
        return {name: value for name, value in call.items() if name[0] != "_"}

    def _vessel_of(self, name: str) -> dict[str, Any]:
        for vessel in self.vessels.values():
            if name in (vessel["id"], vessel["name"]):
                return vessel
        raise Refusal(422, f"no vessel is registered as {name}", "vessel")

    # ---- quotes and tides

    def fee(self, body: Any) -> dict[str, Any]:
        nights = body.get("nights", 1) if isinstance(body, dict) else 1
        if not isinstance(nights, int) or isinstance(nights, bool) or not 1 <= nights <= 60:
            raise Refusal(422, "nights must be a whole number from 1 to 60", "nights")
        season = body.get("season", "between") if isinstance(body, dict) else "between"
        if season not in SEASONS:
            raise Refusal(422, "season must be summer, winter or between", "season")
        return quote(
            Decimal(_number(body, "lengthMetres")),
            Decimal(_number(body, "tonnage")),
            nights,
            season,
        )

    def tides(self, day: str) -> list[dict[str, Any]]:
        try:
            date = datetime.strptime(day, "%Y-%m-%d").replace(tzinfo=UTC)
        except ValueError:
            raise Refusal(400, "date must be a day such as 2026-11-23", "date") from None
        first = date + timedelta(minutes=50 * (date.toordinal() % 14))
        windows = []
        for part in range(4):
            begin = first + timedelta(hours=6.2 * part)
            end = begin + timedelta(hours=2)
            windows.append(
                {
                    "tide": "high" if part % 2 == 0 else "low",
                    "from": begin.isoformat().replace("+00:00", "Z"),
                    "to": end.isoformat().replace("+00:00", "Z"),
                    "metres": Decimal("3.10") if part % 2 == 0 else Decimal("0.30"),
                }
            )
        return windows

    def _moment(self, seconds: float) -> str:
        return (
            datetime.fromtimestamp(self.now() + seconds, UTC)
            .isoformat(timespec="seconds")
            .replace("+00:00", "Z")
        )


def _text(body: Any, name: str) -> str:
    value = body.get(name) if isinstance(body, dict) else None
    if not isinstance(value, str) or not value.strip():
        raise Refusal(422, f"{name} must be a text", name)
    return value


def _number(body: Any, name: str) -> Any:
    value = body.get(name) if isinstance(body, dict) else None
    if (
        isinstance(value, bool)
        or not isinstance(value, (int, Decimal))
        or not 0 < value < 1_000_000
    ):
        raise Refusal(422, f"{name} must be a number above 0", name)
    return value
