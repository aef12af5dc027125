"""The pages' own house: folders know those below them, `case/` and `base/` know no React but for
the little that is named, and no import leads back."""

import os
import re
import unittest
from pathlib import Path

from tests.core.test_house import circle_in

SOURCE = Path(__file__).resolve().parents[2] / "web" / "src"
LAYERS = ("base", "api", "case", "parts", "state", "places", "app")
"""Each knows those before it."""
IMPORT = re.compile(r"(?:from\s+|import\(\s*|import\s+|new URL\(\s*)[\"'](\.{1,2}/[^\"']+|\.)[\"']")
UPWARDS = {
    ("case", "parts"): "what is picked of an answer, how it is read, what a field can insert",
}
PURE = {"case"}


def files() -> dict[str, Path]:
    found = [path for path in SOURCE.rglob("*") if path.suffix in (".ts", ".tsx")]
    return {path.relative_to(SOURCE).as_posix(): path for path in found}


class Circles(unittest.TestCase):
    @classmethod
    def setUpClass(cls):
        cls.files = files()
        cls.graph = {
            name: set(cls.imports(name, path.read_text(encoding="utf-8")))
            for name, path in cls.files.items()
        }

    @classmethod
    def imports(cls, name: str, text: str):
        for told in IMPORT.findall(text):
            base = os.path.normpath(os.path.join(os.path.dirname(name), told)).removeprefix("./")
            tried = (base, f"{base}.ts", f"{base}.tsx", f"{base}/index.ts", "index.ts")
            yield from [one for one in tried[:4] if one in cls.files][:1]

    def test_no_import_leads_back(self):
        self.assertGreater(sum(map(len, self.graph.values())), 500)
        self.assertEqual(circle_in(self.graph), [])

    def test_no_folder_leads_back(self):
        folders: dict[str, set[str]] = {}
        for name, others in self.graph.items():
            for other in others:
                here, there = os.path.dirname(name), os.path.dirname(other)
                if here != there:
                    folders.setdefault(here, set()).add(there)
        self.assertEqual(circle_in(folders), [])

    def test_layers(self):
        for name, others in self.graph.items():
            here = name.split("/")[0]
            for other in others:
                there = other.split("/")[0]
                if here in LAYERS and there in LAYERS and (here, there) not in UPWARDS:
                    below = LAYERS.index(there) <= LAYERS.index(here)
                    self.assertTrue(below, f"{name} knows {other}")

    def test_what_the_editor_computes_knows_no_react(self):
        for name, path in self.files.items():
            if name.split("/")[0] in PURE:
                self.assertNotRegex(
                    path.read_text(encoding="utf-8"), r"from \"(react|antd|@tanstack)", name
                )

    def test_what_is_asked_for_and_what_makes_it_stale_stand_in_one_place(self):
        """`api/queries.ts` and `api/stale.ts`: everywhere else they are named."""
        asked = re.findall(
            r"queryKey: \[\"|about\(\"", self.files["api/queries.ts"].read_text("utf-8")
        )
        self.assertGreater(len(asked), 40)
        for name, file in self.files.items():
            if not name.startswith("api/"):
                text = file.read_text(encoding="utf-8")
                self.assertNotRegex(text, r"queryKey: |queryFn: |QueryData(?:<.*>)?\(\s*\[", name)
                self.assertNotIn("invalidateQueries({", text, name)


if __name__ == "__main__":
    unittest.main()
