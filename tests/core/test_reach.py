"""Where requests may go: what is refused by itself, and what rules open and close, against a plain
model on random addresses and rules."""

from __future__ import annotations

import random
import unittest
from ipaddress import ip_address, ip_network

from saltpath.core.running.reach import Reach, read_rule
from saltpath.core.values.grammar import Unreadable

TRIES = 4_000


def nowhere(_: str) -> bool:
    return False


class Reaching(unittest.TestCase):
    def refusal(self, reach: Reach, address: str, host: str = "h.example", port: int = 80) -> str:
        return reach.refusal(host, address, port, nowhere)

    def test_what_is_refused_by_itself(self) -> None:
        reach = Reach(own_ports=(8420,))
        for address in (
            "169.254.169.254",
            "169.254.0.1",
            "fe80::1",
            "fe80::1%eth0",
            "fd00:ec2::254",
            "100.100.100.200",
            "::ffff:169.254.169.254",
            "::169.254.169.254",
            "64:ff9b::a9fe:a9fe",
            "2002:a9fe:a9fe::1",
            "224.0.0.1",
            "ff02::1",
            "255.255.255.255",
            "not an address",
        ):
            self.assertEqual(self.refusal(reach, address), "special", address)
        for address in ("127.0.0.1", "127.9.9.9", "0.0.0.0", "::1", "::", "::ffff:127.0.0.1"):
            self.assertEqual(self.refusal(reach, address, port=8420), "own", address)
            self.assertEqual(self.refusal(reach, address, port=8421), "", address)
        here = reach.refusal("h", "192.0.2.7", 8420, lambda address: address == "192.0.2.7")
        self.assertEqual(here, "own")

    def test_private_networks_are_the_administrators_choice(self) -> None:
        for address in (
            "10.1.2.3",
            "172.16.0.1",
            "192.168.1.1",
            "100.64.0.1",
            "127.0.0.1",
            "0.0.0.0",
            "::1",
            "fd12::1",
            "::ffff:10.0.0.1",
            "64:ff9b::a00:1",
        ):
            self.assertEqual(self.refusal(Reach(), address), "", address)
            self.assertEqual(self.refusal(Reach(nearby=False), address), "nearby", address)
        for address in ("9.9.9.9", "2606:4700::1111"):
            self.assertEqual(self.refusal(Reach(nearby=False), address), "", address)
        mine = Reach(nearby=False).refusal("h", "9.9.9.9", 80, lambda _: True)
        self.assertEqual(mine, "nearby", "this machine, by its own public address")

    def test_a_name_opens_no_address_that_is_refused_by_itself(self) -> None:
        """Whoever holds the name could lead it there (DNS rebinding)."""
        reach = Reach(nearby=False, allow=(read_rule("h.example"),))
        for address in ("127.0.0.1", "10.0.0.1", "169.254.169.254"):
            self.assertNotEqual(self.refusal(reach, address), "", address)
        opened = Reach(nearby=False, allow=(read_rule("10.0.0.0/8"), read_rule("127.0.0.1:8420")))
        self.assertEqual(self.refusal(opened, "10.0.0.1"), "")
        self.assertEqual(self.refusal(opened, "127.0.0.1", port=8420), "")
        self.assertEqual(self.refusal(opened, "127.0.0.1", port=8421), "nearby")

    def test_rules(self) -> None:
        deny = Reach(deny=(read_rule("*.Internal"), read_rule("bad.example:81")))
        for host, port, refused in (
            ("a.internal", 80, "denied"),
            ("A.B.INTERNAL.", 80, "denied"),
            ("internal", 80, ""),
            ("notinternal", 80, ""),
            ("bad.example", 81, "denied"),
            ("bad.example", 80, ""),
        ):
            self.assertEqual(self.refusal(deny, "9.9.9.9", host, port), refused, host)
        only = Reach(only=True, allow=(read_rule("h.example"), read_rule("9.9.9.0/24")))
        self.assertEqual(self.refusal(only, "8.8.8.8"), "")
        self.assertEqual(self.refusal(only, "8.8.8.8", "other.example"), "only")
        self.assertEqual(self.refusal(only, "9.9.9.9", "other.example"), "")
        for text in ("", "a b", "10.0.0.0/99", "*", "h.example:99999", "http://h", "1.2.3", "0x7f"):
            with self.assertRaises(Unreadable, msg=text):
                read_rule(text)
        self.assertEqual(read_rule("[2001:db8::1]:443").port, 443)

    def test_random_addresses_against_a_plain_model(self) -> None:
        chance = random.Random(6)
        pool = ["10.0.0.0/8", "192.0.2.0/24", "9.9.9.9", "127.0.0.0/8", "203.0.113.0/25"]
        for _ in range(TRIES):
            allow, deny = (
                tuple(read_rule(text) for text in chance.sample(pool, chance.randint(0, 3)))
                for _ in range(2)
            )
            reach = Reach(nearby=chance.random() < 0.5, allow=allow, deny=deny)
            address = str(ip_address(chance.randrange(1 << 32)))
            if chance.random() < 0.7:
                net = ip_network(chance.choice(pool))
                address = str(net[chance.randrange(net.num_addresses)])
            found = ip_address(address)
            if any(found in rule.network for rule in deny):
                wanted = "denied"
            elif any(found in rule.network for rule in allow):
                wanted = ""
            elif found in ip_network("169.254.0.0/16") or found.is_multicast:
                wanted = "special"
            else:
                near = found.is_loopback or found.is_unspecified or not found.is_global
                wanted = "nearby" if near and not reach.nearby else ""
            if address in ("100.100.100.200", "255.255.255.255"):
                continue
            self.assertEqual(self.refusal(reach, address), wanted, (address, reach))


if __name__ == "__main__":
    unittest.main()
