"""What the house rules count, each at its goal or with a reason beside it. Whoever mends one of the
exceptions lowers its number here; `python -m tests.core.test_counts` prints them all."""

import ast
import re
import sys
import unittest
from functools import cache

from tests.core.test_house import SOURCE

ROOT = SOURCE.parents[1]
PAGES = ROOT / "web" / "src"
MOST_LINES = 60
"""Of a function, with its docstring."""
MOST_OF_COMPONENT = 200
LONG_FUNCTIONS = {
    "core/format/schema.py: report_schema": "a schema, written out",
    "demo/harbour/openapi.py: _paths": "the harbour's own description, written out",
    "demo/harbour/openapi.py: _schemas": "the same",
    "server/api/case_view.py: case_answer": "a case's view, field by field",
    "formats/curl.py: _make": "curl's options in the order in which curl heeds them",
    "formats/har.py: _entry": "a recording's entry, field by field",
    "store/runs.py: ask": "one transaction",
    "store/secrets.py: change_key": "one transaction",
}
LONG_COMPONENTS: dict[str, int] = {}
"""Components that are longer, and how long they may be: parts of them are to be taken out."""
STEPS = {"Request", "LookUp", "SetValues", "Wait", "UseShared", "ForEach"}
SOURCES = {
    "FileRows",
    "NamedRows",
    "WrittenRows",
    "MadeRows",
    "CombinedRows",
    "ListRows",
    "OutputRows",
    "DatabaseRows",
}
MOST_ASKED_FOR = {"steps": 10, "sources of rows": 14}
"""Places that ask of which kind something is. What is left is about that kind alone: requests are
signed in and inherit checks, files are looked at and profiled by the pages."""


@cache
def trees() -> list[tuple[str, str, ast.Module]]:
    """Each module by its name below src/saltpath: its text, and what is parsed of it."""
    texts = [
        (file.relative_to(SOURCE).as_posix(), file.read_text(encoding="utf-8"))
        for file in sorted(SOURCE.rglob("*.py"))
    ]
    return [(name, text, ast.parse(text)) for name, text in texts]


def long_functions() -> dict[str, int]:
    found = {}
    for name, _, tree in trees():
        for node in ast.walk(tree):
            if isinstance(node, ast.FunctionDef | ast.AsyncFunctionDef):
                lines = (node.end_lineno or 0) - node.lineno + 1
                if lines > MOST_LINES:
                    found[f"{name}: {node.name}"] = lines
    return found


def long_components() -> dict[str, int]:
    found = {}
    for file in sorted(PAGES.rglob("*.tsx")):
        lines = sum(1 for line in file.read_text(encoding="utf-8").splitlines() if line.strip())
        if lines > MOST_OF_COMPONENT:
            found[file.relative_to(PAGES).as_posix()] = lines
    return found


def asked_for(kinds: set[str]) -> int:
    """Calls of `isinstance` with one of these classes."""
    count = 0
    for _, _, tree in trees():
        for node in ast.walk(tree):
            if isinstance(node, ast.Call) and ast.unparse(node.func) == "isinstance":
                names = {n.id for n in ast.walk(node.args[1]) if isinstance(n, ast.Name)}
                count += bool(names & kinds)
    return count


class Counts(unittest.TestCase):
    def test_no_function_needs_scrolling(self):
        found = long_functions()
        self.assertEqual(set(found) - set(LONG_FUNCTIONS), set(), "longer than 60 lines")
        self.assertEqual(set(LONG_FUNCTIONS) - set(found), set(), "no longer an exception")
        print(
            f"counted: {len(found)} functions over {MOST_LINES} lines, each with its reason",
            file=sys.__stdout__,
        )

    def test_no_component_is_too_long(self):
        found = long_components()
        for name, lines in found.items():
            self.assertLessEqual(lines, LONG_COMPONENTS.get(name, MOST_OF_COMPONENT), name)
        self.assertEqual(set(LONG_COMPONENTS) - set(found), set(), "no longer an exception")
        print(
            f"counted: {len(found)} components over {MOST_OF_COMPONENT} lines", file=sys.__stdout__
        )

    def test_kinds_are_asked_for_in_few_places(self):
        found = {"steps": asked_for(STEPS), "sources of rows": asked_for(SOURCES)}
        for name, count in found.items():
            self.assertLessEqual(count, MOST_ASKED_FOR[name], name)
        print(f"counted: isinstance sites {found}", file=sys.__stdout__)

    def test_lines_are_laid_out_by_the_formatter(self):
        """Their length is held by ruff (E501)."""
        for name, text, _ in trees():
            self.assertNotRegex(text, r"# fmt: (skip|off)", name)

    def test_the_pages_take_none_of_our_sentences_apart(self):
        """A sentence begins with a capital or holds several words: no pattern in the pages may."""
        pattern = re.compile(r"/\^?(?:[A-Z][a-z]+ |the |is |was )[a-z]+ ")
        for file in PAGES.rglob("*.ts*"):
            if file.name != "api-types.ts":
                self.assertNotRegex(file.read_text(encoding="utf-8"), pattern, str(file))


if __name__ == "__main__":
    unittest.main()
