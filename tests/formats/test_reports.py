"""Reports of a run in every form: each is read by other people's readers, and nothing of an answer
that means harm does anything in one."""

import base64
import io
import json
import random
import subprocess
import tempfile
import unittest
import zipfile
from pathlib import Path
from shutil import which

import jsonschema
import openpyxl
from msgspec.structs import replace
from referencing import Registry, Resource

from saltpath.core.format.schema import report_schema
from saltpath.formats.har import read_har
from saltpath.formats.reports import FORMS
from saltpath.formats.reports.page import SHORTER
from saltpath.formats.reports.report import Report
from tests.engine.answering import answering
from tests.harbour import case, plain_report, run_text
from tests.public_files import public_files

EVIL = (
    "<script>fetch('//x')</script><img src=x onerror=alert(1)>\u202e \x00 ]]> | `a` "
    "[l](http://x) =1+1"
)


def step(name: str, send: str, status: object = 200, **more: object) -> str:
    """A request that expects a status, as a line of a case."""
    expect = [{"of": "status", "is": status}]
    return f"  - {json.dumps({'request': name, 'send': send, **more, 'expect': expect})}\n"


READ = step("Read a vessel", "GET [=harbour]/vessels/V-101?note=%C3%A4&x=")
STEPS = (
    READ
    + step("Ask for <b>it</b>", "POST [=harbour]/sessions", 418, json={"agent": "desk"})
    + step("A picture", "GET [=harbour]/berths")
    + "  - set: { done: 'yes' }\n"
)


def written(form: str, report: Report) -> bytes:
    return b"".join(FORMS[form].write(report))


class Reports(unittest.TestCase):
    @classmethod
    def setUpClass(cls) -> None:
        more = "on failure: go on\ntags: [smoke]\n"
        cls.report = run_text(case(STEPS, more), case(READ)).report()

    def test_the_first_word_is_the_verdict(self) -> None:
        lines = written("text", self.report).decode().splitlines()
        self.assertEqual(lines[:2], ["failed: 2 cases", "1 of 2 cases passed."])
        self.assertIn("“A test”: Ask for <b>it</b> answered 422", lines[2])

    def test_markdown_shows_texts_as_they_are(self) -> None:
        text = written("markdown", self.report).decode()
        self.assertIn("Ask for \\<b\\>it\\</b\\>", text)
        self.assertRegex(text, r"\n\| A test \|  \| failed \| .* 422")

    def test_har_is_valid_and_read_again(self) -> None:
        har = json.loads(written("har", self.report))
        schemas = public_files("npm:har-schema") / "lib"
        found = [json.loads(file.read_bytes()) for file in schemas.glob("*.json")]
        registry = Registry().with_resources(
            [(one["$id"], Resource.from_contents(one)) for one in found]
        )
        [schema] = [one for one in found if one["$id"] == "har.json#"]
        kind = jsonschema.validators.validator_for(schema)
        self.assertEqual(list(kind(schema, registry=registry).iter_errors(har)), [])
        requests = [entry["request"] for entry in har["log"]["entries"]]
        self.assertEqual([one["method"] for one in requests], ["GET", "POST", "GET", "GET"])
        self.assertEqual(
            requests[0]["queryString"], [{"name": "note", "value": "ä"}, {"name": "x", "value": ""}]
        )
        self.assertEqual(json.loads(requests[1]["postData"]["text"]), {"agent": "desk"})
        for entry in har["log"]["entries"]:
            parts = [
                entry["timings"][name] for name in ("dns", "connect", "send", "wait", "receive")
            ]
            self.assertAlmostEqual(
                sum(part for part in parts if part > 0), entry["time"], delta=0.5
            )
        self.assertEqual(len(read_har(written("har", self.report)).entries), 4)

    def test_a_body_that_is_no_text_is_kept_in_a_har(self) -> None:
        octets = bytes(range(256))
        with answering({"/b": octets}) as address:
            steps = step("B", f"GET {address}/b")
            report = run_text(case(steps)).report()
        [entry] = json.loads(written("har", report))["log"]["entries"]
        content = entry["response"]["content"]
        self.assertEqual(base64.b64decode(content["text"]), octets)
        self.assertEqual((content["encoding"], content["size"]), ("base64", 256))

    def test_the_workbook_has_a_sheet_of_each_kind(self) -> None:
        book = openpyxl.load_workbook(io.BytesIO(written("xlsx", self.report)))
        self.assertEqual(book.sheetnames, ["Run", "Cases", "Steps", "Did not hold"])
        rows = list(book["Cases"].values)
        self.assertEqual(rows[0][:5], ("case", "suite", "register", "file", "verdict"))
        self.assertEqual([row[4] for row in rows[1:]], ["failed", "passed"])

    @unittest.skipUnless(which("soffice"), "LibreOffice is not there")
    def test_the_workbook_opens_in_libreoffice(self) -> None:
        with tempfile.TemporaryDirectory() as folder:
            book = Path(folder) / "run.xlsx"
            book.write_bytes(written("xlsx", self.report))
            convert = ("soffice", "--headless", f"-env:UserInstallation=file://{folder}/own")
            csv = ("csv:Text - txt - csv (StarCalc):44,34,76,1,,0,false,true,false,false,false,2",)
            subprocess.run(
                [*convert, "--convert-to", *csv, "--outdir", folder, str(book)],
                check=True,
                capture_output=True,
                timeout=120,
            )
            [sheet] = Path(folder).glob("*.csv")
            self.assertIn("A test", sheet.read_text())

    def test_the_json_report_is_as_its_schema_says(self) -> None:
        data = json.loads(written("json", self.report))
        jsonschema.Draft202012Validator(report_schema()).validate(data)
        self.assertEqual(data["counts"]["cases"], {"failed": 1, "passed": 1})
        self.assertEqual(data["causes"][0]["who"], "“A test”")

    def test_nothing_of_an_answer_gets_out_of_its_place(self) -> None:
        with answering({"/evil": json.dumps({"name": EVIL}).encode()}) as address:
            steps = step("Read it", f"GET {address}/evil", 201)
            report = run_text(case(steps)).report()
        page = written("html", report).decode()
        self.assertNotIn("<script", page)
        self.assertNotIn("<img", page)
        self.assertNotIn("\u202e", page)
        markdown = written("markdown", report).decode()
        self.assertNotRegex(markdown, r"(?<!\\)\[l|(?<!\\)`a|(?<!\\)<")
        [table] = [line for line in markdown.splitlines() if line.startswith("| A test")]
        self.assertEqual(table.replace("\\|", "").count("|"), 6)
        with zipfile.ZipFile(io.BytesIO(written("xlsx", report))) as archive:
            sheets = [archive.read(name) for name in archive.namelist() if "sheet" in name]
        self.assertFalse([one for one in sheets if b"<f>" in one], "no cell is a formula")

    def test_whatever_it_is_called_every_form_is_written(self) -> None:
        chance = random.Random(5)
        letters = [chr(n) for n in range(0x20)] + list("\x7f\x85\u2028\ufffe\uffff\u202e=+-@|<&'`")
        for _ in range(60):
            odd = "".join(
                chance.choices([*letters, "a", " ", "船", "😀"], k=chance.randrange(1, 40))
            )
            report = replace(self.report, title=odd, build=odd, note=odd, stopped_by=odd)
            for name in FORMS:
                self.assertTrue(written(name, report), (name, odd))
            book = openpyxl.load_workbook(io.BytesIO(written("xlsx", report)))
            self.assertFalse([one for one in book["Run"]["B"] if one.data_type == "f"])

    def test_what_passed_is_shortened_what_did_not_is_whole(self) -> None:
        long = json.dumps({"name": "x" * 5_000, "end": "of it"}).encode()
        with answering({"/long": long}) as address:
            good, bad = (
                written("html", run_text(case(step("Long", f"GET {address}/long", of))).report())
                for of in (200, 201)
            )
        good, bad = good.decode(), bad.decode()
        self.assertIn("of it", bad)
        self.assertNotIn("of it", good)
        self.assertIn(f"{'x' * (SHORTER - 20)}", good)
        self.assertIn("shortened; 5.03 kB in all", good)

    def test_five_hundred_cases_are_at_most_three_megabytes(self) -> None:
        body = json.dumps({"items": [{"name": f"vessel {n}", "length": n} for n in range(100)]})
        with answering({"/list": body.encode()}) as address:
            steps = "".join(
                step(f"Step {n}", f"GET {address}/list", 200 if n else "[=wanted]")
                for n in range(4)
            )
            texts = [
                case(steps, f"on failure: go on\nvalues: {{ wanted: {201 if n % 5 else 200} }}\n")
                for n in range(500)
            ]
            report = run_text(*texts, jobs=16).report()
        page = written("html", report)
        self.assertLess(len(page), 3_000_000)
        self.assertEqual(page.count(b'<details class="case'), 500)

    def test_the_collected_report_reads_again(self) -> None:
        self.assertEqual(plain_report(run_text(case(READ)))["verdict"], "passed")
