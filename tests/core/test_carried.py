"""Comments of a file when its document was edited as data: they stay with the step and the check
they stand above."""

import random
import sys
import unittest
from pathlib import Path

from saltpath.core.format.carried import carried
from saltpath.core.format.source import _comment_texts, _read_yaml, _scalar_spans, read_source
from saltpath.core.format.writer import write_document
from saltpath.core.values.plain import same

DEMO = Path(__file__).resolve().parents[2] / "src/saltpath/demo"


def step(key: str, *checks: str) -> dict:
    return {
        "request": key,
        "key": key,
        "send": "GET http://h/",
        "expect": [{"of": check, "present": True} for check in checks],
    }


class Everywhere(unittest.TestCase):
    """Comments at random places of the demonstration's files, alone and behind what stands there:
    none is lost, in any number of rounds."""

    ROUNDS = 400

    def test_none_is_lost(self):
        chance = random.Random(1813)
        files = sorted(DEMO.rglob("*.yaml"))
        placed = 0
        for number in range(self.ROUNDS):
            text = files[number % len(files)].read_text(encoding="utf-8")
            data = read_source(text).root.data()
            commented = self.commented(text, chance)
            if chance.random() < 0.3:
                commented = commented.replace("\n", "\r\n")
            source = read_source(commented)
            self.assertTrue(same(source.root.data(), data), commented)
            comments = sorted(line for lines in source.comments.values() for line in lines)
            self.assertEqual(comments, sorted(line for line in self.wanted if line), commented)
            placed += len(self.wanted)
            written = write_document(source.root.data(), source.comments)
            for _ in range(2):
                again = read_source(written)
                self.assertTrue(same(again.root.data(), data), written)
                self.assertEqual(
                    sorted(line for lines in again.comments.values() for line in lines),
                    comments,
                    written,
                )
                written = write_document(again.root.data(), again.comments)
        self.assertGreater(placed, 2_000)
        print(
            f"counted: {placed} comments in {self.ROUNDS} documents, none lost", file=sys.__stdout__
        )

    def commented(self, text: str, chance: random.Random) -> str:
        """With comments before lines and behind them, and empty lines between; those that stand
        there already count."""
        node = _read_yaml(text)
        spans = list(_scalar_spans(text, node))
        self.wanted = [comment for _, comment, _ in _comment_texts(text, node)]
        lines, at = [], 0
        for line in text.split("\n"):
            end = at + len(line)
            outside = not any(start < end < stop for start, stop in spans)
            free = not any(start < at < stop for start, stop in spans)
            if free and chance.random() < 0.2:
                self.wanted.append(f"# {len(self.wanted)}: a 'note' [of: it]")
                lines += [
                    *([""] if chance.random() < 0.3 else []),
                    " " * chance.randrange(6) + self.wanted[-1],
                ]
                lines += [""] if chance.random() < 0.3 else []
            behind = outside and free and line.strip() and "#" not in line and "$" not in line
            if behind and chance.random() < 0.2:
                self.wanted.append(f"# {len(self.wanted)} behind")
                line += chance.choice((" ", "   ", "\t")) + self.wanted[-1]
            lines.append(line)
            at = end + 1
        return "\n".join(lines)


class Carried(unittest.TestCase):
    BEFORE = {"case": "x", "steps": [step("a", "$.x", "$.y"), step("b")], "afterwards": [step("c")]}
    COMMENTS = {
        "case": ["# the case"],
        "steps[0]": ["# first"],
        "steps[0].expect[1]": ["# why"],
        "steps[1].send": ["# how"],
        "afterwards[0]": ["# last"],
    }

    def test_steps_of_every_part(self):
        for part in ("once", "steps", "afterwards", "at the end"):
            before, moved = {part: [step("a"), step("b")]}, {part: [step("b"), step("a")]}
            self.assertEqual(
                carried(before, moved, {f"{part}[0].send": ["# x"]}), {f"{part}[1].send": ["# x"]}
            )

    def after(self, steps: list, afterwards: list) -> dict:
        return carried(
            self.BEFORE, {"case": "x", "steps": steps, "afterwards": afterwards}, self.COMMENTS
        )

    def test_nothing_changed(self):
        self.assertEqual(carried(self.BEFORE, self.BEFORE, self.COMMENTS), self.COMMENTS)

    def test_steps_moved_also_to_another_part(self):
        moved = self.after([step("b"), step("new")], [step("a", "$.x", "$.y"), step("c")])
        self.assertEqual(
            moved,
            {
                "case": ["# the case"],
                "afterwards[0]": ["# first"],
                "afterwards[0].expect[1]": ["# why"],
                "steps[0].send": ["# how"],
                "afterwards[1]": ["# last"],
            },
        )

    def test_checks_moved_changed_and_gone(self):
        self.assertIn(
            "steps[0].expect[0]", self.after([step("a", "$.y", "$.x"), step("b")], [step("c")])
        )
        self.assertIn(
            "steps[0].expect[1]",
            self.after([step("a", "$.x", "$.changed"), step("b")], [step("c")]),
        )
        gone = self.after([step("a", "$.x"), step("b")], [step("c")])
        self.assertEqual([path for path in gone if "expect" in path], [])

    def test_what_is_gone_takes_its_comments_along(self):
        self.assertEqual(self.after([], []), {"case": ["# the case"]})
        self.assertEqual(
            carried(self.BEFORE, {"case": "x", "steps": "no list"}, self.COMMENTS),
            {"case": ["# the case"]},
        )
