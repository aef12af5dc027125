"""Where requests may go: what is refused by default, and what an administrator opened or closed, by
name and by network. Asked with the address that is connected to, after each look-up, so that no
name and no redirect leads elsewhere than it says."""

from __future__ import annotations

import re
from collections.abc import Callable
from ipaddress import (
    IPv4Address,
    IPv4Network,
    IPv6Address,
    IPv6Network,
    ip_address,
    ip_network,
)
from typing import Literal

from msgspec import Struct

from saltpath.core.values.grammar import Unreadable

Network = IPv4Network | IPv6Network
Refusal = Literal["", "denied", "only", "own", "special", "nearby"]
"""Why not; empty: it may go there."""
METADATA = tuple(
    ip_network(text)
    for text in ("169.254.0.0/16", "fe80::/10", "fd00:ec2::254/128", "100.100.100.200/32")
)
"""Link-local addresses (RFC 3927, RFC 4291), and those at which clouds tell machines their keys."""
_NAME = re.compile(r"(?:\*\.)?[a-z0-9_](?:[a-z0-9_.-]{0,251}[a-z0-9_])?")
MOST_RULES = 200


class Rule(Struct, frozen=True):
    """A network, or a name, with its port if only that is meant."""

    network: Network | None = None
    name: str = ""
    """In small letters; `*.` at its begin stands for every name below."""
    port: int = 0

    def holds(self, host: str, address: IPv4Address | IPv6Address, port: int) -> bool:
        if self.port and self.port != port:
            return False
        if self.network is not None:
            return address.version == self.network.version and address in self.network
        if self.name.startswith("*."):
            return host.endswith(self.name[1:])
        return host == self.name


def read_rule(text: str) -> Rule:
    """`10.0.0.0/8`, `192.0.2.7:8080`, `[2001:db8::1]:443`, `harbour.example`, `*.internal`. Raises
    Unreadable."""
    typed = text.strip().lower()
    match = re.fullmatch(r"(\[[^\]]+\]|[^:\s]+)(?::([0-9]{1,5}))?", typed)
    held, port = (match[1].strip("[]"), int(match[2] or 0)) if match else (typed, 0)
    if port <= 65_535:
        try:
            return Rule(ip_network(held, strict=False), port=port)
        except ValueError:
            pass
        if _NAME.fullmatch(held) and not re.fullmatch(r"[0-9.]+|0x[0-9a-f]+", held):
            return Rule(name=held, port=port)
    raise Unreadable(
        f"{text} is no name, address or network, such as harbour.example, *.internal, 10.0.0.0/8 "
        "or 192.0.2.7:8080"
    )


class Reach(Struct, frozen=True):
    """What may be asked."""

    own_ports: tuple[int, ...] = ()
    """Where Salt Path itself listens on this machine."""
    nearby: bool = True
    """Also this machine, and private networks (RFC 1918, RFC 4193, RFC 6598)."""
    allow: tuple[Rule, ...] = ()
    deny: tuple[Rule, ...] = ()
    only: bool = False
    """Nothing but what is allowed."""

    def refusal(
        self, host: str, address: str, port: int, is_here: Callable[[str], bool]
    ) -> Refusal:
        """Why an address may not be connected to, that a name led to. A rule with a name opens no
        address that is refused by itself: who holds the name may lead it anywhere. `is_here`:
        whether an address is this machine's own."""
        try:
            found = ip_address(address.partition("%")[0])
        except ValueError:
            return "special"  # what cannot be told is not trusted
        found = _plain(found)
        name = host.lower().rstrip(".")
        if any(rule.holds(name, found, port) for rule in self.deny):
            return "denied"
        allowed = [rule for rule in self.allow if rule.holds(name, found, port)]
        if not any(rule.network for rule in allowed):
            refused = self._by_itself(found, port, is_here)
            if refused:
                return refused
        return "only" if self.only and not allowed else ""

    def _by_itself(
        self, address: IPv4Address | IPv6Address, port: int, is_here: Callable[[str], bool]
    ) -> Refusal:
        if any(address in network for network in METADATA if network.version == address.version):
            return "special"
        if address.is_multicast or str(address) == "255.255.255.255":
            return "special"
        here = address.is_loopback or address.is_unspecified
        if port in self.own_ports and (here or is_here(str(address))):
            return "own"
        private = here or not address.is_global
        return "nearby" if not self.nearby and (private or is_here(str(address))) else ""


def _plain(address: IPv4Address | IPv6Address) -> IPv4Address | IPv6Address:
    """IPv4 within IPv6, however it is written there (RFC 4291, 2.5.5; RFC 6052; RFC 3056)."""
    if not isinstance(address, IPv6Address):
        return address
    within = address.ipv4_mapped or address.sixtofour
    if within is None and address in ip_network("64:ff9b::/96"):
        within = IPv4Address(int(address) & 0xFFFFFFFF)
    if within is None and address in ip_network("::/96") and int(address) > 1:
        within = IPv4Address(int(address) & 0xFFFFFFFF)
    return within or address
