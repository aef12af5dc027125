"""The container's file: it is built and started where an engine is at hand; where none is, it is
held to what it must be, and to what `saltpath serve` takes. `make check` looks at its syntax."""

import json
import re
import shutil
import subprocess
import unittest
from pathlib import Path

from saltpath.cli.serving import serve

ROOT = Path(__file__).parents[2]


def instructions() -> list[tuple[str, str]]:
    """Each with what it is given, lines that go on joined."""
    text = (ROOT / "Containerfile").read_text().replace("\\\n", " ")
    lines = [line for line in text.splitlines() if line.strip() and not line.startswith("#")]
    return [(line.partition(" ")[0], line.partition(" ")[2].strip()) for line in lines]


def engine() -> str:
    """A program that builds containers, if its engine answers; empty: there is none."""
    for name in ("docker", "podman"):
        if shutil.which(name):
            done = subprocess.run([name, "info"], capture_output=True, timeout=30, check=False)
            if done.returncode == 0:
                return name
    return ""


class Container(unittest.TestCase):
    def test_it_is_what_it_must_be(self):
        given = instructions()
        kinds = [kind for kind, _ in given]
        self.assertRegex(given[0][1], r"^debian:[a-z]+(-slim)?$", "Debian's image, of a release")
        self.assertNotIn("ADD", kinds, "nothing is fetched but packages")
        users = [what for kind, what in given if kind == "USER"]
        self.assertEqual(users[-1:], ["saltpath"])
        self.assertNotIn("RUN", kinds[kinds.index("USER") :])
        for _, what in (one for one in given if one[0] == "RUN" and "apt-get install" in one[1]):
            self.assertIn("--no-install-recommends", what)
            self.assertIn("rm -rf /var/lib/apt/lists", what)
        runs = " ".join(what for kind, what in given if kind == "RUN")
        self.assertIn("-r /tmp/requirements.lock", runs, "in the versions that were tested")
        for _, what in (one for one in given if one[0] == "COPY"):
            for source in what.split()[:-1]:
                made = source.startswith("dist/")  # by make wheel
                self.assertTrue(made or (ROOT / source).exists(), source)

    def test_it_starts_what_there_is(self):
        known = {name for option in serve.params for name in option.opts}
        given = dict(instructions())
        words = [*json.loads(given["ENTRYPOINT"]), *json.loads(given["CMD"])]
        self.assertEqual(words[1], "serve")
        self.assertLessEqual({word for word in words if word.startswith("--")}, known)
        written = (ROOT / "docs" / "deployment.md").read_text()
        for text in re.findall(r"(?<=serve )--.*|^  --.*|^ExecStart=.*", written, re.MULTILINE):
            self.assertLessEqual(set(re.findall(r"--[a-z-]+", text)), known, text)

    @unittest.skipUnless(engine(), "no engine of containers answers here")
    def test_it_is_built_and_starts(self):
        builder = engine()
        subprocess.run(["make", "wheel"], cwd=ROOT, check=True, capture_output=True)
        build = [builder, "build", "-t", "saltpath-test", "-f", "Containerfile", "."]
        subprocess.run(build, cwd=ROOT, check=True, capture_output=True, timeout=600)
        words = [builder, "run", "--rm", "saltpath-test", "--help"]
        done = subprocess.run(words, check=True, capture_output=True, text=True, timeout=60)
        self.assertIn("--certificate", done.stdout)


if __name__ == "__main__":
    unittest.main()
