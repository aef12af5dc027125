"""What a new version of a table changed; and how a file looks before it is a table."""

import io
import unittest

from openpyxl import Workbook

from saltpath.core.cases.row_sources import FileRows, Row
from saltpath.core.tables.changes import changes
from saltpath.core.tables.objects import lists_in
from saltpath.core.values.grammar import Unreadable
from saltpath.formats.rows.look import look


def rows(*several: dict) -> list[Row]:
    return [Row(number, values) for number, values in enumerate(several, 1)]


class Changes(unittest.TestCase):
    def test_rows_are_known_again_by_what_tells_them_apart(self):
        before = rows(
            {"port": "Kvist", "quay": "E1", "metres": 80},
            {"port": "Kvist", "quay": "E2", "metres": 95},
            {"port": "Holm", "quay": "W1", "metres": 60},
        )
        now = rows(
            {"port": "Kvist", "quay": "W1", "metres": 60},
            {"port": "Kvist", "quay": "E1", "metres": 82},
            {"port": "Holm", "quay": "W2", "metres": 7},
        )
        found = changes(["port", "quay", "metres"], before, ["port", "quay", "metres"], now)
        self.assertEqual(found.key, "quay")
        self.assertEqual(
            [(c.row, c.column, c.was, c.now) for c in found.cells],
            [(1, "port", "Holm", "Kvist"), (2, "metres", "80", "82")],
        )
        self.assertEqual(
            (found.rows_changed, found.cells_changed, found.new, found.gone),
            (2, 2, ["Holm, W2, 7"], ["Kvist, E2, 95"]),
        )

    def test_rows_that_nothing_tells_apart_are_compared_whole(self):
        before = rows({"a": "1"}, {"a": "1"}, {"a": "2"})
        found = changes(
            ["a"], before, ["a", "b"], rows({"a": "1", "b": None}, {"a": "3", "b": "x"})
        )
        self.assertEqual(
            (found.key, found.columns_new, found.rows_new, found.rows_gone), ("", ["b"], 1, 2)
        )
        self.assertEqual((found.new, sorted(found.gone)), (["3"], ["1", "2"]))

    def test_the_same_and_the_very_long(self):
        same = rows(*({"id": str(number)} for number in range(50)))
        found = changes(["id"], same, ["id"], same)
        self.assertEqual(
            (found.cells_changed, found.rows_new, found.rows_gone, found.whole), (0, 0, 0, True)
        )
        part = changes(["id"], same, ["id"], same, most=20)
        self.assertEqual((part.rows_before, part.rows_now, part.whole), (20, 20, False))
        many = changes(["id"], [], ["id"], same)
        self.assertEqual((many.rows_new, len(many.new)), (50, 50))


class Looks(unittest.TestCase):
    def test_a_text_of_cells(self):
        found = look(io.BytesIO("Größe;b\n1,5;'x'\n".encode("cp1252")), FileRows("a.csv"))
        self.assertEqual(
            (found.kind, found.encoding, found.delimiter), ("csv", "Windows-1252", ";")
        )
        self.assertEqual(found.records, [["Größe", "b"], ["1,5", "'x'"]])
        self.assertEqual(len(look(io.BytesIO(b"a\n" * 500), FileRows("a.csv"), most=7).records), 7)

    def test_a_workbook(self):
        book, octets = Workbook(), io.BytesIO()
        book.active.title = "Hidden"
        book.active.sheet_state = "hidden"
        book.create_sheet("Shown").append(["a", 1, None, True])
        book.save(octets)
        octets.seek(0)
        found = look(octets, FileRows("a.xlsx"))
        self.assertEqual(
            (found.kind, found.sheets, found.sheet), ("xlsx", ["Hidden", "Shown"], "Shown")
        )
        self.assertEqual(found.records, [["a", 1, None, True]])
        octets.seek(0)
        with self.assertRaisesRegex(Unreadable, "did you mean 'Shown'"):
            look(octets, FileRows("a.xlsx", sheet="Show"))

    def test_lists_in_a_document(self):
        document = {"items": [1], "deep": {"net price": [2], "x": {"y": []}}, "text": "a"}
        self.assertEqual(lists_in(document), ["$.items", "$.deep['net price']", "$.deep.x.y"])
        self.assertEqual((lists_in([1]), lists_in(3)), (["$"], []))
        found = look(io.BytesIO(b'{"items": [1]}'), FileRows("a.json"))
        self.assertEqual((found.kind, found.lists, found.records), ("json", ["$.items"], []))


if __name__ == "__main__":
    unittest.main()
