"""A project as a folder of files: out of the application and in again, byte for byte; by the
command line and by the API."""

import io
import json
import shutil
import subprocess
import sys
import tempfile
import unittest
import urllib.error
import urllib.request
import zipfile
from pathlib import Path

from saltpath.core.format.folder import read_folder, write_folder
from saltpath.core.format.nodes import FormatError
from saltpath.formats.folders import read_disk, read_zip, write_disk, write_zip
from tests.application import Application

DEMO = Path(__file__).resolve().parents[2] / "src/saltpath/demo/project"
PAPERS = "suites/desks/papers.case.yaml"
NEW = ("suite", "first.case")
CASES = len(list(DEMO.rglob("*.case.yaml")))


def cli(*arguments: str) -> subprocess.CompletedProcess:
    return subprocess.run(
        [sys.executable, "-m", "saltpath.cli", *arguments],
        capture_output=True,
        text=True,
        timeout=60,
    )


class Folders(unittest.TestCase):
    def setUp(self) -> None:
        self.folder = Path(self.enterContext(tempfile.TemporaryDirectory()))

    def test_the_demonstration_is_written_as_it_is_read(self):
        files = read_disk(DEMO)
        self.assertGreater(len(files), 30)
        again = write_folder(read_folder(files))
        self.assertEqual(set(again), set(files))
        for path in files:
            self.assertEqual(again[path], files[path], path)

    def test_what_would_change_is_said_a_part_is_taken_and_all_is_undone(self):
        source, out, data = self.folder / "s", self.folder / "o", self.folder / "data"
        shutil.copytree(DEMO, source)
        there = ["--data", str(data)]
        cli("import", str(source), *there)
        cli("export", "Fernholm Harbour", str(out), *there)
        before = read_disk(out)
        self.assertIn("0 new cases, 0 changed", cli("import", str(source), "--look", *there).stdout)
        case = source / "suites/desks/papers.case.yaml"
        case.write_text(case.read_text().replace("a visitor", "a guest"))
        new = source / "suites/new/first.case.yaml"
        new.parent.mkdir()
        new.write_text("salt-path: 1\ncase: A first one\nsteps: []\n")
        (source / "suites/arrivals/sign-in.case.yaml").unlink()
        looked = cli("import", str(source), "--look", *there).stdout
        self.assertIn("new        case A first one\n", looked)
        self.assertIn("changed    case A vessel's papers are handed in\n", looked)
        self.assertIn("1 new cases, 1 changed", looked)

        def now() -> dict[str, bytes]:
            shutil.rmtree(out)
            cli("export", "Fernholm Harbour", str(out), *there)
            return read_disk(out)

        self.assertEqual(now(), before, "looking changes nothing")
        cli("import", str(source), "--only", "suites/new", *there)
        self.assertEqual(set(now()) - set(before), {f"suites/new/{n}.yaml" for n in NEW})
        self.assertEqual(now()["suites/desks/papers.case.yaml"], before[PAPERS])
        undone = cli("import", str(source), "--undo", *there)
        self.assertIn("is as it was before", undone.stdout, undone.stderr)
        self.assertEqual(now(), before)
        cli("import", str(source), *there)
        self.assertIn("suites/arrivals/sign-in.case.yaml", now(), "what it has not stays")
        self.assertNotEqual(now()[PAPERS], before[PAPERS])
        cli("import", str(source), "--undo", *there)
        self.assertEqual(now(), before)
        for more, said in (
            (["--undo"], "nothing was brought onto this project"),
            (["--only", "suites/nowhere"], "has nothing at suites/nowhere"),
        ):
            went = cli("import", str(source), *more, *there)
            self.assertEqual(went.returncode, 2)
            self.assertIn(said, went.stderr.lower())

    def test_what_was_brought_in_is_not_undone_over_what_was_done_since(self):
        with Application() as app:
            archive = urllib.request.urlopen(
                f"{app.address}/api/v1/projects/{app.project}/folder", timeout=30
            ).read()
            files = read_zip(archive)
            files[PAPERS] = files[PAPERS].replace(b"a visitor", b"a guest")
            headers = {"Content-Type": "application/zip"}
            for query, status in (("?look=true", 200), ("", 201)):
                address = f"{app.address}/api/v1/projects/folder{query}"
                request = urllib.request.Request(address, write_zip(files), headers, method="POST")
                with urllib.request.urlopen(request, timeout=30) as answer:
                    self.assertEqual(answer.status, status)
                    brought = json.load(answer)
                self.assertEqual([one["what"] for one in brought["changes"]], ["changed"])
            undo = f"/projects/{app.project}/folder/undo"
            case = app.cases()["Free berths are listed"]
            held = app.get(f"/cases/{case}")
            document = {**held["document"], "about": "since then"}
            app.ask("PUT", f"/cases/{case}", {"document": document}, If_Match='"1"')
            status, _, problem = app.ask("POST", undo)
            self.assertEqual(status, 409)
            self.assertIn("changed since", problem["title"])
            app.ask("PUT", f"/cases/{case}", {"document": held["document"]}, If_Match='"2"')
            self.assertEqual(app.ask("POST", undo)[0], 200)
            self.assertEqual(app.ask("POST", undo)[0], 404)

    def test_through_the_application_and_back(self):
        source, first, second = (self.folder / name for name in ("source", "first", "second"))
        shutil.copytree(DEMO, source)
        case = source / "suites/desks/papers.case.yaml"
        text = (
            case.read_text()
            .replace("steps:\n", "# how papers come in\nsteps:\n")
            .replace("    expect:\n", "    # all of it\n    expect:\n", 1)
        )
        case.write_text(text)
        project = source / "project.yaml"
        project.write_text("# the harbour\n" + project.read_text())
        data = ["--data", str(self.folder / "data")]
        done = cli("import", str(source), *data)
        self.assertEqual(
            (done.returncode, done.stdout),
            (0, f"Fernholm Harbour: {CASES} new cases, 0 changed, 0 as they were\n"),
            done.stderr,
        )
        self.assertEqual(cli("export", "Fernholm Harbour", str(first), *data).returncode, 0)
        self.assertEqual(read_disk(first), read_disk(source), "what went in comes out")
        case.write_text(text.replace("a visitor", "a guest"))
        again = cli("import", str(source), *data)
        self.assertEqual(
            again.stdout, f"Fernholm Harbour: 0 new cases, 1 changed, {CASES - 1} as they were\n"
        )
        cli("export", "Fernholm Harbour", str(second), *data)
        self.assertEqual(read_disk(second), read_disk(source))
        self.assertNotIn(b"salt-and-tar", b"".join(read_disk(second).values()))

    def test_what_is_wrong_is_said_with_file_and_line(self):
        root = self.folder / "p"
        write_disk(
            root,
            {
                "project.yaml": b"salt-path: 1\nproject: P\n",
                "suites/a/x.case.yaml": b"salt-path: 1\ncase: x\nstepps: []\n",
                "suites/a/y.case.yaml": b"salt-path: 1\ncase: \xff\n",
            },
        )
        done = cli("import", str(root), "--data", str(self.folder / "data"))
        self.assertEqual(done.returncode, 2)
        self.assertIn("suites/a/x.case.yaml:3: unknown key 'stepps'", done.stderr)
        self.assertIn("suites/a/y.case.yaml:2: the file is not UTF-8", done.stderr)
        self.assertEqual(
            cli("export", "P", str(root), "--data", str(self.folder / "no")).returncode, 2
        )
        self.assertIn(
            "no project.yaml",
            cli("import", str(self.folder), "--data", str(self.folder / "data")).stderr,
        )

    def test_archives(self):
        files = read_disk(DEMO)
        archive = write_zip(files)
        self.assertEqual(read_zip(archive), dict(sorted(files.items())))
        self.assertEqual(archive, write_zip(files), "the same files, the same octets")
        around = write_zip({f"harbour/{name}": octets for name, octets in files.items()})
        self.assertEqual(set(read_zip(around)), set(files))
        for hostile in ("../evil.yaml", "/etc/evil", "a\\b"):
            out = io.BytesIO()
            with zipfile.ZipFile(out, "w") as made:
                made.writestr(zipfile.ZipInfo("x"), "x")
                made.filelist[0].filename = "x"
                made.writestr(zipfile.ZipInfo(hostile), "x")
            with self.subTest(hostile), self.assertRaises(FormatError):
                read_zip(out.getvalue())
        for octets in (b"", b"PK\x03\x04 no", archive[: len(archive) // 2]):
            with self.subTest(octets[:8]), self.assertRaises(FormatError):
                read_zip(octets)

    def test_by_the_api(self):
        with Application() as app:
            with urllib.request.urlopen(
                f"{app.address}/api/v1/projects/{app.project}/folder"
            ) as answer:
                octets = answer.read()
                self.assertIn("fernholm-harbour.zip", answer.headers["Content-Disposition"])
            files = read_zip(octets)
            self.assertEqual(len(files), len(read_disk(DEMO)))
            files["project.yaml"] = files["project.yaml"].replace(
                b"project: Fernholm Harbour", b"project: Another Harbour"
            )
            made = self.post(app, write_zip(files))
            self.assertEqual(made["new"], CASES)
            self.assertEqual(self.post(app, write_zip(files))["same"], CASES)
            names = [item["name"] for item in app.get("/projects")["items"]]
            self.assertEqual(names, ["Another Harbour", "Fernholm Harbour", "Troubles at Fernholm"])
            with self.assertRaises(urllib.error.HTTPError) as caught:
                self.post(app, b"no archive")
            self.assertEqual(caught.exception.code, 422)

    def post(self, app: Application, octets: bytes) -> dict:
        import json

        headers = {"Content-Type": "application/zip"}
        request = urllib.request.Request(
            f"{app.address}/api/v1/projects/folder", octets, headers, method="POST"
        )
        with urllib.request.urlopen(request) as answer:
            return json.load(answer)
