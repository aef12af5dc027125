"""The style sheets: each lies in the folder of those that draw with it, a class is defined in one
of them (two meanings of one name once drew the checks of a case over its head), and none that no
page has."""

import re
import unittest
from collections import defaultdict
from pathlib import Path

SOURCE = Path(__file__).resolve().parents[2] / "web" / "src"
NARROW = "narrow.css"
"""What is otherwise on narrow screens."""
LIBRARIES = ("ant-", "cm-")
EVERYWHERE = ("app", "parts")
"""Folders whose sheets everyone may draw with."""
CLASS_NAME = re.compile(r'className=(?:"([^"]*)"|\{((?:[^{}]|\{[^{}]*\})*)\})')


def rules() -> dict[str, list[str]]:
    """The selectors of each sheet, by its path."""
    found = {}
    for file in sorted(SOURCE.rglob("*.css")):
        text = re.sub(r"/\*.*?\*/", "", file.read_text(encoding="utf-8"), flags=re.S)
        heads = re.findall(r"([^{};]+)\{", text)
        name = file.relative_to(SOURCE).as_posix()
        found[name] = [one.strip() for head in heads for one in head.split(",")]
    return found


def defined() -> dict[str, set[str]]:
    """The sheets that say what a class looks like by itself, by the class."""
    places: dict[str, set[str]] = defaultdict(set)
    for file, selectors in rules().items():
        for selector in selectors:
            if not file.endswith(NARROW) and re.fullmatch(r"\.[\w-]+", selector):
                places[selector.removeprefix(".")].add(file)
    return places


def drawn(text: str) -> set[str]:
    """The classes that a component gives to what it draws."""
    found = set[str]()
    for plain, made in CLASS_NAME.findall(text):
        for words in [plain, *re.findall(r'["`]([^"`]*)["`]', made)]:
            found.update(words.split())
    return found


class Styles(unittest.TestCase):
    def test_a_class_is_defined_in_one_file(self):
        places = defined()
        self.assertGreater(len(places), 150)
        self.assertEqual({name: files for name, files in places.items() if len(files) > 1}, {})

    def test_a_sheet_lies_with_those_that_draw_with_it(self):
        places = {name: next(iter(files)).rpartition("/")[0] for name, files in defined().items()}
        uses = [
            (file.relative_to(SOURCE).as_posix(), name, places[name] + "/")
            for file in SOURCE.rglob("*.tsx")
            for name in drawn(file.read_text(encoding="utf-8")) & places.keys()
            if not places[name].startswith(EVERYWHERE)
        ]
        self.assertGreater(len(uses), 150)
        self.assertEqual([use for use in uses if not use[0].startswith(use[2])], [])

    def test_every_sheet_is_read_those_of_parts_before_those_of_places(self):
        listed = re.findall(r'import "\./(.*)";', (SOURCE / "styles.ts").read_text("utf-8"))
        self.assertEqual(sorted(listed), sorted(rules()))
        tops = [
            ("app", "parts", "places").index(one.partition("/")[0])
            for one in listed
            if not one.endswith(NARROW)
        ]
        self.assertEqual(tops, sorted(tops))
        self.assertTrue(all(one.endswith(NARROW) for one in listed[len(tops) :]))

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
