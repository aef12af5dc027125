"""JSON Schema against the official suite: every case of every draft, formats included; what holds
and what is told of it never differ."""

import sys
import unittest
from pathlib import Path
from typing import Any

from saltpath.core.schemas import Dialect, Unusable, compile_schema
from saltpath.core.schemas.compiling import ALL_FORMATS
from saltpath.core.values import plain
from tests.public_files import public_files

DRAFTS = {"draft4": 4, "draft6": 6, "draft7": 7, "draft2019-09": 2019, "draft2020-12": 2020}
CASES = {"draft4": 610, "draft6": 829, "draft7": 913, "draft2019-09": 1227, "draft2020-12": 1257}
NO_FORMATS: frozenset[str] = frozenset()
AN_ANNOTATION = {"content.json"}
"""Optional in draft 7, and no longer asked since: media types and encodings of texts."""


class Suite(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.folder = public_files("jsonschema") / "json"
        remotes = cls.folder / "remotes"
        cls.remotes = {
            f"http://localhost:1234/{file.relative_to(remotes).as_posix()}": plain.read_json(
                file.read_bytes()
            )
            for file in remotes.rglob("*.json")
        }

    def test_what_each_draft_requires(self):
        for draft, number in DRAFTS.items():
            with self.subTest(draft):
                files = sorted((self.folder / "tests" / draft).glob("*.json"))
                self.assertEqual(self.wrong(files, number, NO_FORMATS), [])
                self.assertEqual(self.counted, CASES[draft])

    def test_what_is_optional(self):
        for draft, number in DRAFTS.items():
            with self.subTest(draft):
                files = sorted((self.folder / "tests" / draft / "optional").rglob("*.json"))
                files = [file for file in files if file.name not in AN_ANNOTATION]
                self.assertEqual(self.wrong(files, number, ALL_FORMATS), [])
                self.assertGreater(self.counted, 200)
                print(
                    f"counted: JSON Schema {draft}: all of {CASES[draft]} required cases and of "
                    f"{self.counted} "
                    "optional ones",
                    file=sys.__stdout__,
                )

    def wrong(self, files: list[Path], draft: int, formats: frozenset[str]) -> list[str]:
        found: list[str] = []
        self.counted = 0
        for file in files:
            for group in plain.read_json(file.read_bytes()):
                for case in group["tests"]:
                    self.counted += 1
                    said = self.said(group["schema"], case["data"], draft, formats)
                    if said != (case["valid"], case["valid"]):
                        found.append(
                            f"{file.name}: {group['description']}: {case['description']}: {said}"
                        )
        return found

    def said(self, schema: Any, value: Any, draft: int, formats: frozenset[str]) -> Any:
        """Whether it holds, and whether no fault is told."""
        try:
            compiled = compile_schema(
                schema, others=self.remotes, dialect=Dialect(draft), formats=formats
            )
            return compiled.holds(value), not compiled.faults(value, 20)
        except Unusable as problem:
            return problem
