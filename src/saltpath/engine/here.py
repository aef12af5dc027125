"""Whether an address is this machine's own."""

from __future__ import annotations

import socket
from ipaddress import ip_address


def is_here(address: str) -> bool:
    """Whether an IP address is this machine's own: one that can be bound to here."""
    try:
        ip = ip_address(address.partition("%")[0])
    except ValueError:
        return True  # what cannot be told is not trusted
    ip = getattr(ip, "ipv4_mapped", None) or ip
    if ip.is_loopback or ip.is_unspecified:
        return True
    with socket.socket(
        socket.AF_INET6 if ip.version == 6 else socket.AF_INET, socket.SOCK_DGRAM
    ) as probe:
        try:
            probe.bind((address, 0))
        except OSError:
            return False
    return True
