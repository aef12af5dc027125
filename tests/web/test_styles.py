"""The style sheets: a class is defined in one file (two meanings of one name once drew the checks
of a case over its head), and none that no page has."""

import re
import unittest
from collections import defaultdict
from pathlib import Path

SOURCE = Path(__file__).resolve().parents[2] / "web" / "src"
NARROW = "narrow.css"
"""What is otherwise on narrow screens, whosever it is."""
LIBRARIES = ("ant-", "cm-")


def rules() -> dict[str, list[str]]:
    """The selectors of each file."""
    found = {}
    for file in sorted(SOURCE.rglob("*.css")):
        text = re.sub(r"/\*.*?\*/", "", file.read_text(encoding="utf-8"), flags=re.S)
        heads = re.findall(r"([^{};]+)\{", text)
        found[file.name] = [one.strip() for head in heads for one in head.split(",")]
    return found


class Styles(unittest.TestCase):
    def test_a_class_is_defined_in_one_file(self):
        places: dict[str, set[str]] = defaultdict(set)
        for file, selectors in rules().items():
            for selector in selectors:
                if file != NARROW and re.fullmatch(r"\.[\w-]+", selector):
                    places[selector].add(file)
        self.assertGreater(len(places), 150)
        self.assertEqual({name: files for name, files in places.items() if len(files) > 1}, {})

    def test_no_class_is_left_over(self):
        pages = "\n".join(
            file.read_text(encoding="utf-8")
            for file in SOURCE.rglob("*.ts*")
            if file.name != "api-types.ts"
        )
        names = {
            name
            for selectors in rules().values()
            for selector in selectors
            for name in re.findall(r"\.([a-zA-Z][\w-]*)", selector)
            if not name.startswith(LIBRARIES)
        }
        written = set(re.findall(r"[a-zA-Z][\w-]*", pages))
        made = {name for name in names if f"{name.partition('-')[0]}-${{" in pages}
        self.assertEqual(sorted(names - written - made), [])


if __name__ == "__main__":
    unittest.main()
