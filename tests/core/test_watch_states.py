"""Outages, recoveries and hiccups, against a plain look over the whole row of runs."""

import random
import unittest

from saltpath.core.watching.own_side import WITHIN_US, OwnSide, gateway_is_silent, is_elsewhere
from saltpath.core.watching.states import Change, Rule, Seen, State, after


def told(runs: list[Seen], rule: Rule) -> list[Change]:
    state, found = State(), []
    for run in runs:
        state, change = after(state, run, rule)
        found += [change] if change else []
    return found


def looked_over(runs: list[Seen], rule: Rule) -> list[tuple[str, int, int]]:
    """The same from the text of all verdicts at once: what of it is bad, good, and told."""
    known = [run for run in runs if run.bad is not None]
    text = "".join("b" if run.bad else "g" for run in known)
    found, at = [], 0
    while (first := text.find("b", at)) >= 0:
        good = text.find("g", first)
        length = (good if good >= 0 else len(text)) - first
        if length < rule.bad:
            if good >= 0:
                found.append(("hiccup", first, first))
            at = first + length
            continue
        found.append(("outage", first, first))
        end = text.find("g" * rule.good, first)
        if end < 0:
            break
        found.append(("recovery", end, first))
        at = end
    return [(kind, known[at].due, known[since].due) for kind, at, since in found]


class States(unittest.TestCase):
    def test_against_a_plain_look_over_all_of_them(self) -> None:
        chance = random.Random(8)
        for _ in range(2_000):
            often = chance.choice([0.02, 0.2, 0.5, 0.9])
            runs = [
                Seen(60 * n, None if chance.random() < 0.1 else chance.random() < often)
                for n in range(chance.randint(0, 60))
            ]
            rule = Rule(chance.randint(1, 4), chance.randint(1, 3))
            found = [(one.kind, one.at, one.since) for one in told(runs, rule)]
            # within an outage it is told when good runs in a row are enough, by the first of them
            self.assertEqual(found, looked_over(runs, rule), (rule, runs))

    def test_the_numbers_that_are_told(self) -> None:
        runs = [Seen(n, bad) for n, bad in enumerate([False, True, False, True, True, True, False])]
        self.assertEqual(
            told(runs, Rule(3, 1)),
            [Change("hiccup", 1, 1, 1), Change("outage", 3, 3, 3), Change("recovery", 6, 3, 1)],
        )

    def test_what_was_not_watched_breaks_no_row(self) -> None:
        runs = [Seen(0, True), Seen(1, None), Seen(2, True), Seen(3, None), Seen(4, True)]
        self.assertEqual([one.kind for one in told(runs, Rule(3, 1))], ["outage"])


class OwnSides(unittest.TestCase):
    def test_it_is_ours_when_most_different_hosts_are_out_of_reach_at_once(self) -> None:
        own = OwnSide()
        for host in ("a:443", "b:443", "c", "d"):
            own.heard(host, 0, True)
        own.heard("a:443", 10, False)
        own.heard("b:443", 11, False)
        self.assertFalse(own.cut(12), "half of them")
        own.heard("c", 12, False)
        self.assertTrue(own.cut(13))
        own.heard("a:443", 14, True)
        self.assertFalse(own.cut(15))
        own.heard("a:443", 16, False)
        self.assertFalse(own.cut(16 + WITHIN_US), "what they did long ago says nothing")

    def test_few_hosts_and_this_machine_itself_tell_nothing(self) -> None:
        own = OwnSide()
        for host in ("a", "b", "127.0.0.1:80", "localhost:1", "[::1]:80", ""):
            own.heard(host, 0, False)
        self.assertFalse(own.cut(1))

    def test_a_gateway_that_was_asked_and_said_nothing_is_ours(self) -> None:
        routes = (
            "Iface\tDestination\tGateway\tFlags\n"
            "eth0\t00000000\t010200C0\t0003\neth0\t000200C0\t00000000\t0001\n"
        )
        head = "IP address       HW type     Flags       HW address\n"
        answers = f"{head}192.0.2.1  0x1  0x2  02:fc:00:00:00:05  *  eth0\n"
        silent = f"{head}192.0.2.1  0x1  0x0  00:00:00:00:00:00  *  eth0\n"
        other = f"{head}192.0.2.9  0x1  0x0  00:00:00:00:00:00  *  eth0\n"
        self.assertTrue(gateway_is_silent(routes, silent))
        for neighbours in (answers, other, head, "", silent + answers.removeprefix(head)):
            self.assertFalse(gateway_is_silent(routes, neighbours), neighbours)
        self.assertFalse(gateway_is_silent("Iface\n", silent), "there is no way out at all")
        second = routes + "eth1\t00000000\t010200C6\t0003\n"
        both = f"{silent}198.0.2.1  0x1  0x2  02:fc:00:00:00:06  *  eth1\n"
        self.assertFalse(gateway_is_silent(second, both), "one of two answers")
        for host, elsewhere in {"127.0.0.1:80": False, "": False, "a.example:443": True}.items():
            self.assertEqual(is_elsewhere(host), elsewhere)


if __name__ == "__main__":
    unittest.main()
