"""Anything at all as a document or a text: read, or refused with a sentence; never another error.
Seeded."""

import copy
import random
import unittest
from pathlib import Path
from typing import Any

from saltpath.core.assist.difference import differences
from saltpath.core.assist.inspect import inspect, surroundings
from saltpath.core.assist.outline import outline
from saltpath.core.cases.case import NamedValues
from saltpath.core.format.nodes import FormatError
from saltpath.core.format.reader import case_from_data, read_case
from saltpath.core.format.source import read_source
from saltpath.core.format.writer import write_document
from saltpath.core.values.plain import same

FILES = sorted((Path(__file__).resolve().parents[2] / "src/saltpath/demo").rglob("*.case.yaml"))
VALUES: list[Any] = [
    None,
    1,
    -1,
    "x",
    "",
    [],
    {},
    [[]],
    {"a": 1},
    True,
    "[=a]",
    "[=",
    "[=a | cut 1]",
    "$.a[",
    "$..*",
    "$[?@.a==[=x]]",
    10**30,
    ["x"],
    {"secret": True},
    "[=row.number]",
    "value x",
    "header",
    "500 ms",
]
KEYS = [
    "off",
    "key",
    "expect",
    "keep",
    "json",
    "text",
    "form",
    "auth",
    "query",
    "set",
    "wait",
    "options",
    "any",
    "count",
    "is",
]
SCRAPS = [
    "",
    "[",
    "]",
    "{",
    "}",
    '"',
    "'",
    ":",
    "#",
    "-",
    "\n",
    "  ",
    "\t",
    "[=",
    "|",
    "&a",
    "*a",
    "!x",
    "?",
    "\x00",
    "é",
]


class Anything(unittest.TestCase):
    def setUp(self):
        self.random = random.Random(20261123)
        self.texts = [file.read_text(encoding="utf-8") for file in FILES]
        self.documents = [read_source(text).root.data() for text in self.texts]

    def mutated(self) -> Any:
        """A document with one to three places changed to something else."""
        document = copy.deepcopy(self.random.choice(self.documents))
        for _ in range(self.random.randint(1, 3)):
            here = document
            while True:
                if isinstance(here, dict) and here:
                    if self.random.random() < 0.1:
                        here[self.random.choice(KEYS)] = self.random.choice(VALUES)
                        break
                    key = self.random.choice(list(here))
                elif isinstance(here, list) and here:
                    key = self.random.randrange(len(here))
                else:
                    break
                if self.random.random() < 0.25 or not isinstance(here[key], (dict, list)):
                    here[key] = self.random.choice(VALUES)
                    break
                here = here[key]
        return document

    def test_documents(self):
        read = 0
        for _ in range(1500):
            document = self.mutated()
            try:
                case = case_from_data(document)
            except FormatError as refusal:
                self.assertTrue(all(problem.sentence for problem in refusal.problems))
                continue
            read += 1
            inspect(case, surroundings((), None, NamedValues(), []))
            outline(case)
            self.assertEqual(read_source(write_document(document)).root.data(), document)
        self.assertGreater(read, 100)

    def test_two_versions(self):
        """What differs is told, and what does not is not."""
        told = 0
        for _ in range(1500):
            after = self.mutated()
            try:
                case_from_data(after)
            except FormatError:
                continue
            same_case = (
                document for document in self.documents if document.get("key") == after.get("key")
            )
            before = next(same_case, self.documents[0])
            sentences = differences(before, after)
            told += bool(sentences)
            self.assertEqual(bool(sentences), not same(before, after), (before, after))
            self.assertTrue(all(sentences), sentences)
            self.assertEqual(differences(after, copy.deepcopy(after)), [])
        self.assertGreater(told, 100)

    def test_texts(self):
        for _ in range(400):
            text = self.random.choice(self.texts)
            for _ in range(self.random.randint(1, 4)):
                at = self.random.randrange(len(text))
                text = (
                    text[:at]
                    + self.random.choice([*SCRAPS, text[at : at + 20]])
                    + text[at + self.random.randint(0, 3) :]
                )
            try:
                outline(read_case(text))
            except FormatError as refusal:
                self.assertTrue(refusal.problems)
