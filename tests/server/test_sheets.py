"""Sheets over the API: saved, read, shown before they are taken, taken, had again with verdicts;
and what is wrong with them."""

import json
import unittest
import urllib.error
import urllib.request

from saltpath.core.sheet.headings import columns_of
from saltpath.formats.workbook import LARGEST, read_book
from tests.application import PATIENCE_S, Application


class Sheets(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        cls.app = cls.enterClassContext(Application())
        first = cls.app.get(f"/runs?project={cls.app.project}")["items"][0]
        cls.app.finished(first["id"])

    def setUp(self) -> None:
        self.suite = self.app.ask(
            "POST", "/suites", {"project": self.app.project, "name": "Sheets"}
        )[2]["id"]

    def add(self, name: str, *checks):
        steps = [
            {"request": "Read it", "send": "GET [=harbour]/vessels/V-101", "expect": list(checks)}
        ]
        asked = {
            "project": self.app.project,
            "suite": self.suite,
            "document": {"salt-path": 1, "case": name, "steps": steps},
        }
        return self.app.ask("POST", "/cases", asked)[2]["id"]

    def upload(self, method: str, path: str, octets: bytes):
        headers = {"Content-Type": "application/octet-stream"}
        request = urllib.request.Request(
            f"{self.app.address}/api/v1{path}", octets, headers, method=method
        )
        try:
            with urllib.request.urlopen(request, timeout=PATIENCE_S) as answer:
                return answer.status, json.loads(answer.read())
        except urllib.error.HTTPError as error:
            return error.code, json.loads(error.read())

    def read(self, octets: bytes):
        return self.upload("POST", f"/workbooks?project={self.app.project}", octets)

    def take(self, columns, table, **more):
        return self.app.ask(
            "POST", f"/suites/{self.suite}/rows", {"columns": columns, "table": table, **more}
        )

    def test_a_suite_is_saved_with_its_verdicts_and_brought_in_again_without_a_change(self):
        suite = self.app.get(f"/suites?project={self.app.project}")["items"][0]
        for form in ("xlsx", "csv"):
            octets = self.app.ask("GET", f"/suites/{suite['id']}/workbook?format={form}")[2]
            status, read = self.read(octets)
            self.assertEqual(status, 200)
            [sheet] = read["sheets"]
            self.assertTrue(sheet["own"])
            table = sheet["table"][1:]
            self.assertIn("passed", [row[sheet["columns"].index("verdict")] for row in table])
            asked = {"columns": sheet["columns"], "table": table}
            planned = self.app.ask("POST", f"/suites/{suite['id']}/rows", asked)[2]
            self.assertEqual((planned["cases"], planned["faults"], planned["saved"]), ([], [], []))
            self.assertGreater(planned["checks"], 20)

    def test_a_case_alone_is_saved_and_its_rows_are_told(self):
        case = self.add(
            "Alone", {"of": "status", "is": 200}, {"of": "$.lengthMetres", "is": 1318.5}
        )
        octets = self.app.ask("GET", f"/cases/{case}/workbook")[2]
        table = read_book(octets).sheets[0].table
        self.assertEqual(len(table), 3)
        self.app.run(cases=[case])
        self.app.run(cases=[case])
        first, second = self.app.get(f"/cases/{case}/rows")["items"]
        self.assertEqual(first["cells"]["seen"], "200, always, in 2")
        self.assertEqual(
            (second["check"], second["cells"]["verdict"]),
            ({"of": "$.lengthMetres", "is": 1318.5}, "failed"),
        )

    def test_rows_are_shown_then_taken_and_can_be_undone(self):
        case = self.add("One", {"of": "status", "is": 200}, {"of": "$.id", "present": True})
        columns = columns_of(["case", "step", "of", "relation", "expected"], {})
        table = [
            ["One", "Read it", "status", "is", "201"],
            ["", "", "$.id", "is abov", "3"],
            ["Two", "Read it", "status", "is", "200"],
        ]
        _, _, shown = self.take(columns, table, first=4)
        self.assertEqual([item["name"] for item in shown["cases"]], ["One"])
        self.assertEqual(
            [(fault["row"], fault["column"]) for fault in shown["faults"]],
            [(6, "step"), (5, "of")][::-1],
        )
        self.assertEqual(self.app.get(f"/cases/{case}")["version"], 1)
        _, _, taken = self.take(columns, table, take=True)
        [saved] = taken["saved"]
        self.assertEqual(saved["before"]["steps"][0]["expect"][0], {"of": "status", "is": 200})
        now = self.app.get(f"/cases/{case}")
        self.assertEqual(
            now["document"]["steps"][0]["expect"],
            [{"of": "status", "is": 201}, {"of": "$.id", "present": True}],
        )
        back = self.app.ask(
            "PUT", f"/cases/{case}", {"document": saved["before"]}, If_Match=f'"{saved["version"]}"'
        )
        self.assertEqual(back[2]["document"], saved["before"])

    def test_what_a_teams_headings_mean_is_remembered(self):
        self.add("One")
        self.take(
            ["case", "expected of $.callSign"],
            [["One", "FH101"]],
            take=True,
            headings=["Our case", "Radio"],
        )
        _, read = self.read(b"Our case;Radio\nOne;FH101\n")
        self.assertEqual(read["sheets"][0]["columns"], ["case", "expected of $.callSign"])

    def test_a_kept_workbook_comes_back_with_verdicts(self):
        case = self.add("One", {"of": "status", "is": 200}, {"of": "$.callSign", "is": "another"})
        self.app.run(cases=[case])
        octets = (
            b"Our case;Field;Value\nOne;status;200\n;$.callSign;another\n;$.name;x\n"
            b"Nobody;status;200\n"
        )
        columns = '["case","of","expected"]'.replace('"', "%22")
        status, kept = self.upload(
            "PUT", f"/suites/{self.suite}/workbook?name=ours.csv&columns={columns}", octets
        )
        self.assertEqual((status, kept["name"]), (200, "ours.csv"))
        lines = (
            self.app.ask("GET", f"/suites/{self.suite}/workbook/verdicts")[2]
            .decode("utf-8-sig")
            .splitlines()
        )
        self.assertEqual(
            [line.split(";")[3] for line in lines],
            ["verdict (Salt Path)", "passed", "failed", "not taken over", "not read"],
        )
        self.assertEqual(lines[2].split(";")[4], "“FH101”")

    def test_spoilt_files_end_in_a_sentence(self):
        for octets, words in (
            (b"", "empty"),
            (b"PK\x03\x04nothing", "cut short"),
            (b"\xd0\xcf\x11\xe0" + b"x" * 600, "old kind"),
            (b"\x00" * 100, "neither a workbook"),
            (b"a," * 1000, "columns"),
            (b"[" * 100_000, "empty"),
            (b"{" * 200_000, "field larger"),
        ):
            with self.subTest(words):
                status, problem = self.read(octets)
                if status == 200:  # brackets are cells like any other
                    self.assertEqual(len(problem["sheets"][0]["table"]), 1)
                    continue
                self.assertEqual((status, problem["code"]), (422, "not-understood"))
                self.assertIn(words, problem["title"])
        status, problem = self.read(b"x" * (LARGEST + 1))
        self.assertEqual(status, 413)

    def test_what_is_no_table_is_refused(self):
        for columns, table in (
            (["case", "nonsense"], []),
            ([], []),
            ("case", []),
            (["of"], [["a", 1]]),
            (["of"], "x"),
            (["expected of $["], []),
        ):
            self.assertEqual(self.take(columns, table)[0], 422, (columns, table))
        self.assertEqual(self.take(["of"], [], first=-1)[0], 422)
        self.assertEqual(self.take(["of"], [], case="case_none")[0], 422)
        self.assertEqual(self.app.ask("GET", f"/suites/{self.suite}/workbook?format=pdf")[0], 400)
        self.assertEqual(self.app.ask("GET", f"/suites/{self.suite}/workbook/verdicts")[0], 404)
        self.assertEqual(
            self.upload(
                "PUT", f"/suites/{self.suite}/workbook?name=x&columns=[]&sheet=none", b"a,b"
            )[0],
            422,
        )

    def test_a_request_is_read_by_its_cells(self):
        case = self.add("One")
        key = self.app.get(f"/cases/{case}")["document"]["steps"][0]["key"]
        asked = {"step": key, "cells": {"method": "PUT", "body": '{"a": 1.50}'}}
        _, _, read = self.app.ask("POST", f"/cases/{case}/requests", asked)
        self.assertEqual(
            (read["step"]["send"], read["step"]["json"]),
            ("PUT [=harbour]/vessels/V-101", '{"a": 1.50}'),
        )
        _, _, read = self.app.ask(
            "POST", f"/cases/{case}/requests", {"step": key, "cells": {"address": "[=x"}}
        )
        self.assertIsNone(read["step"])
        self.assertEqual(
            self.app.ask("POST", f"/cases/{case}/requests", {"step": "none", "cells": {}})[0], 422
        )


if __name__ == "__main__":
    unittest.main()
