"""The documentation for those who carry on, and what the code says of itself: every file that they
name is there."""

import re
import unittest
from pathlib import Path

ROOT = Path(__file__).resolve().parents[2]
PAGES = [ROOT / "CONTRIBUTING.md", ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]
NAMED = re.compile(r"`((?:[\w.-]+/)*[\w-]+(?:\.py|\.tsx?|\.mjs|\.md|/))`")
SAID = re.compile(r"(?<![\w./*-])((?:[\w-]+/)*[\w-]+\.(?:py|tsx?|md))(?![\w])")
LINKED = re.compile(r"\]\((?!https?:|#|mailto:)([^)#\s]+)")
PROMISED = re.compile(r"`(?:(\w+)/)?(test_\w+)(?:\.(\w+))?`")
ELSEWHERE = {"saltpath-data/", "shared/", "data/", "suites/", "environments/"}
"""Folders of an installation or of a tester's project, which are not of this one."""


class Pages(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        folders = [ROOT / name for name in ("src", "web", "tests", "bench", "docs", ".ci")]
        skipped = {"node_modules", "__pycache__", "pages"}
        cls.known = {"CONTRIBUTING.md", "README.md", "CHANGELOG.md"}
        for folder in folders:
            cls.known.add(f"{folder.name}/")
            for path in folder.rglob("*"):
                parts = path.relative_to(ROOT).parts
                if not skipped & set(parts[1:]):
                    cls.known.add("/".join(parts) + ("/" if path.is_dir() else ""))

    def test_every_file_that_is_named_is_there(self):
        named = 0
        for page in PAGES:
            for name in NAMED.findall(page.read_text(encoding="utf-8")):
                named += 1
                there = any(path == name or path.endswith(f"/{name}") for path in self.known)
                self.assertTrue(there or name in ELSEWHERE, f"{page.name} names {name}")
        self.assertGreater(named, 100)

    def test_every_module_that_the_code_names_is_there(self):
        named = 0
        code = [path for kind in ("py", "ts", "tsx") for path in (ROOT / "src").rglob(f"*.{kind}")]
        code += [path for kind in ("ts", "tsx") for path in (ROOT / "web/src").rglob(f"*.{kind}")]
        for path in code:
            for name in SAID.findall(path.read_text(encoding="utf-8")):
                named += 1
                there = any(known == name or known.endswith(f"/{name}") for known in self.known)
                self.assertTrue(there, f"{path.relative_to(ROOT)} names {name}")
        self.assertGreater(named, 50)

    def test_every_link_leads_somewhere(self):
        for page in PAGES:
            for link in LINKED.findall(page.read_text(encoding="utf-8")):
                self.assertTrue((page.parent / link).exists(), f"{page.name} links to {link}")

    def test_every_test_that_is_promised_is_there(self):
        """`test_entry.test_x`, `store/test_backup`, and a bare `test_x`, which is of the module
        named before it."""
        tests: dict[str, list[Path]] = {}
        for path in (ROOT / "tests").rglob("test_*.py"):
            tests.setdefault(path.stem, []).append(path)
        text = (ROOT / "docs/security.md").read_text(encoding="utf-8")
        promised = 0
        for line in text.splitlines():
            module = ""
            for folder, name, member in PROMISED.findall(line):
                if name in tests:
                    module = name
                    folders = [path.parent.name for path in tests[name]]
                    self.assertTrue(not folder or folder in folders, line)
                else:
                    member = name
                promised += 1
                self.assertTrue(module, f"{name} is in no module: {line}")
                code = "".join(path.read_text(encoding="utf-8") for path in tests[module])
                if member:
                    self.assertRegex(code, rf"(def|class) {member}\b", line)
        self.assertGreater(promised, 40)


if __name__ == "__main__":
    unittest.main()
