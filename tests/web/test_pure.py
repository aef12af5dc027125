"""What the pages work out without a browser: what pointing makes (pointing.mjs), how an answer is
read (reading.mjs), what is typed about rows (rows.mjs), how edits are saved (queue.mjs)."""

import json
import os
import random
import re
import subprocess
import unittest
from pathlib import Path

from saltpath.core.assist.outline import in_a_line, part_in_a_line
from saltpath.core.cases.case import MultipartPart
from saltpath.core.references.templates import RESERVED, Template, is_name

HERE = Path(__file__).resolve().parent


def part_of(value: str) -> MultipartPart:
    return MultipartPart(Template("name", ("name",)), Template(value, (value,)), None)


class Pure(unittest.TestCase):
    def test_what_pointing_makes(self):
        self.each("pointing.mjs", 40)

    def test_the_queue_of_edits(self):
        self.each("queue.mjs", 9)

    def test_how_an_answer_is_read(self):
        self.each("reading.mjs", 14)

    def test_rows(self):
        self.each("rows.mjs", 13)

    def test_a_name_is_proposed_for_every_field(self):
        """Fields at random, also called as our own words are: each name can be kept, and no two are
        the same."""
        chance = random.Random(1809)
        letters = "aZ09 .-_~:/?#[]@%&=+;,\\^`{}|<>\"'!$()*éÉß漢İıǅ²Ⅷ\u0301\u202e😀\t\n\x7f"
        fields = [
            *RESERVED,
            *(word.upper() for word in RESERVED),
            "",
            "id",
            "x" * 300,
            "__proto__",
            "constructor",
            "2nd mate",
        ]
        fields += [
            "".join(chance.choice(letters) for _ in range(chance.randint(1, 9)))
            for _ in range(2000)
        ]
        done = subprocess.run(
            ["node", HERE / "names.mjs"],
            input=json.dumps(fields),
            capture_output=True,
            text=True,
            timeout=120,
            env={**os.environ, "WEB": str(HERE.parents[1] / "web")},
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        found = json.loads(done.stdout)
        self.assertEqual(set(found["reserved"]), RESERVED)
        self.assertEqual(
            [pair for pair in zip(fields, found["names"], strict=True) if not is_name(pair[1])], []
        )
        self.assertEqual(len(set(found["names"])), len(fields))
        self.assertEqual(found["names"][fields.index("count")], "vesselCount")

    def test_every_value_stands_in_its_line(self):
        """Values of forms at random: a line each, read back as they were; Python and the page write
        them alike."""
        chance = random.Random(1820)
        pieces = [
            " ",
            "\n",
            "\r\n",
            '"',
            "\\",
            "=",
            "&",
            "ä",
            "[=v]",
            "\t",
            "x",
            "n",
            "\u2028",
            "\u3000",
            "\ufeff",
            "\x85",
            "\x1f",
            ": ",
            "'",
            "#",
        ]
        values = [
            "",
            '"exact words"',
            '"a\\nb"',
            " a",
            "a ",
            "two\nlines",
            *(
                "".join(chance.choice(pieces) for _ in range(chance.randint(0, 6)))
                for _ in range(3000)
            ),
        ]
        lines = [
            [value, f"name = {in_a_line(value)}", part_in_a_line(part_of(value))]
            for value in values
        ]
        self.assertEqual(
            [in_a_line(value) for value in values[:3]], values[:2] + ['"\\"a\\\\nb\\""']
        )
        done = subprocess.run(
            ["node", HERE / "lines.mjs"],
            input=json.dumps(lines),
            capture_output=True,
            text=True,
            timeout=120,
            env={**os.environ, "WEB": str(HERE.parents[1] / "web")},
        )
        self.assertEqual(done.returncode, 0, done.stderr[-2000:])
        for (value, line, part), (read, written, parts) in zip(
            lines, json.loads(done.stdout), strict=True
        ):
            self.assertNotRegex(line, "[\\r\\n]")
            self.assertEqual((read, f"name = {written}"), ([["name", value]], line))
            self.assertEqual(parts, [{"name": "name", "text": value}], part)

    def each(self, name: str, wanted: int) -> None:
        done = subprocess.run(
            [
                "node",
                "--harmony-json-parse-with-source",
                "--test",
                "--test-reporter=tap",
                HERE / name,
            ],
            capture_output=True,
            text=True,
            timeout=120,
            env={**os.environ, "WEB": str(HERE.parents[1] / "web")},
        )
        self.assertEqual(done.returncode, 0, done.stdout[-6000:] + done.stderr[-2000:])
        found = re.search(r"^# pass (\d+)$", done.stdout, re.MULTILINE)
        assert found is not None
        self.assertGreaterEqual(int(found[1]), wanted)
