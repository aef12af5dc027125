"""Our own paths give what the library gives; the standard's examples hold for both."""

import unittest

from saltpath.core.paths import jsonpath, jsonpath_library
from saltpath.core.values.plain import read_json

STORE = read_json(
    b"""{ "calls": [ { "id": "PC-1", "fee": 8.95, "pilots": ["Tor"], "open": true },
      { "id": "PC-2", "fee": 12.99, "open": null },
    { "id": "PC-3", "fee": 8.95, "deep": { "fee": 1, "id": 2 } }, 7, "x", null, [1, [2]] ],
      "odd name": { "a.b": 1, "'": 2 }, "": 0 }"""
)
PATHS = [
    "$",
    "$.calls",
    "$.calls[0].id",
    "$.calls[-1]",
    "$.calls[-8]",
    "$.calls[*]",
    "$.calls[*].id",
    "$.*",
    "$..id",
    "$..fee",
    "$.calls[?@.fee]",
    "$.calls[?@.open]",
    "$.calls[?@.fee==8.95]",
    "$.calls[?@.fee!=8.95]",
    "$.calls[?@.fee<9]",
    "$.calls[?@.fee<=8.95]",
    "$.calls[?@.fee>9].id",
    "$.calls[?@.fee>=12.99]",
    "$.calls[?@.id=='PC-2']",
    "$.calls[?@.id<'PC-2']",
    "$.calls[?@.open==null]",
    "$.calls[?@.open==true]",
    "$.calls[?@.deep.id==2]",
    "$.calls[?@['id']=='PC-1']",
    "$.calls[?@==7]",
    "$.calls[?@=='x']",
    "$.calls[?@==null]",
    "$['odd\\u0020name']",
    "$.calls[0:2]",
    "$.calls[0,1].id",
    "$.calls[::-1]",
    "$..[0]",
    "$..*",
    "$.calls[?@.fee>1&&@.open]",
    "$.calls[?!@.open]",
    "$.calls[?count(@.*)>3]",
    "$.calls[?length(@.id)==4]",
    "$.calls[?search(@.id,'[12]')]",
    "$.calls[?match(@.id,'PC-.')]",
    "$.missing",
    "$.calls.id",
    "$.calls[99]",
    "$..missing",
]


class SameAsTheLibrary(unittest.TestCase):
    def test_every_path(self):
        for text in [
            *PATHS,
            "$['odd name']['a.b']",
            "$['odd name']['\\'']",
            "$['']",
            '$["odd name"]',
            "$.calls[? @.fee == 8.95 ].id",
        ]:
            with self.subTest(text):
                ours = [tuple(node) for node in jsonpath.read_path(text).nodes(STORE)]
                theirs = [tuple(node) for node in jsonpath_library.compile_path(text).find(STORE)]
                if "*" in text or ".." in text:  # the order of members is free (RFC 9535, 2.3.2.2)
                    ours, theirs = sorted(ours, key=repr), sorted(theirs, key=repr)
                self.assertEqual(ours, theirs)

    def test_most_of_them_do_not_need_it(self):
        ours = [text for text in PATHS if jsonpath.read_path(text).library is None]
        self.assertGreater(len(ours), 24)

    def test_what_is_not_a_path(self):
        for text in [
            "",
            "a",
            "$.",
            "$[",
            "$.a[",
            "$..",
            "$.a b",
            "$[01]",
            "$['a]",
            "$[?]",
            "$.a[?@.b=]",
            "$ ",
        ]:
            with self.subTest(text), self.assertRaises(jsonpath.PathError):
                jsonpath.read_path(text)

    def test_locations_read_back(self):
        for node in jsonpath.read_path("$..*").nodes(STORE):
            path = jsonpath.as_path(node.location)
            self.assertEqual(jsonpath.read_path(path).get(STORE), node.value, path)
