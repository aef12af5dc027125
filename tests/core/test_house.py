"""The house: arrows between the packages run one way, schemas fit the reader, files keep a readable
length."""

import ast
import json
import re
import unittest
from pathlib import Path

import jsonschema

from saltpath.core.checks.relations import TABLE
from saltpath.core.format import (
    check_reader,
    options_reader,
    project,
    reader,
    request_reader,
    schema,
    shared_reader,
    tables,
    watch_reader,
    words,
    writer,
)
from saltpath.core.format.source import read_source

ROOT = Path(__file__).resolve().parents[2]
SOURCE = ROOT / "src" / "saltpath"
ALLOWED = {
    "core": set(),
    "engine": {"core"},
    "formats": {"core"},
    "store": {"core"},
    "reporting": {"core", "formats", "store"},
    "today": {"core", "store"},
    "proving": {"core", "formats", "store"},
    "runner": {"core", "engine", "formats", "store", "reporting", "today"},
    "tls": {"core"},
    "server": {"core", "formats", "store", "reporting", "tls", "today", "proving"},
    "demo": {"core", "formats", "store", "runner"},
    "cli": {"core", "engine", "formats", "runner", "store", "demo", "processes", "tls"},
    "processes": {"runner", "server", "tls"},
}


LADDER = (
    "values",
    "paths",
    "schemas",
    "references",
    "answers",
    "cases",
    "checks",
    "running",
    "tables",
    "statistics",
    "proof",
    "watching",
    "trends",
    "format",
    "assist",
    "sheet",
)
"""The packages of the core, each of which knows those before it."""
LONG = {
    "src/saltpath/core/format/schema.py": (510, "a table: one entry for each key of the format"),
}
"""Modules of more than 430 lines, how many they may have, and why."""
HELPS_THE_WRITER = {"assist", "sheet"}
"""What the engine never imports."""


def name_of(file: Path) -> str:
    return ".".join(file.relative_to(SOURCE.parent).with_suffix("").parts).removesuffix(".__init__")


MODULES = {name_of(file): file for file in SOURCE.rglob("*.py")}


def imports(file: Path, types: bool = True):
    """The names of modules that a file imports, wherever in it; `types`: also those that only the
    type checker sees."""
    waiting: list[ast.AST] = [ast.parse(file.read_text(encoding="utf-8"))]
    while waiting:
        node = waiting.pop()
        if isinstance(node, ast.If) and not types and ast.unparse(node.test) == "TYPE_CHECKING":
            continue
        if isinstance(node, ast.ImportFrom) and node.module:
            whole = [f"{node.module}.{alias.name}" for alias in node.names]
            yield from (name if name in MODULES else node.module for name in whole)
        elif isinstance(node, ast.Import):
            yield from (alias.name for alias in node.names)
        waiting += ast.iter_child_nodes(node)


def circle_in(graph: dict[str, set[str]]) -> list[str]:
    """A way from a node back to itself; empty if there is none."""
    done: set[str] = set()
    for start in graph:
        way, ahead = [start], [iter(graph[start])]
        while ahead:
            name = next(ahead[-1], None)
            if name is None:
                done.add(way.pop())
                ahead.pop()
            elif name in way:
                return [*way[way.index(name) :], name]
            elif name not in done:
                way.append(name)
                ahead.append(iter(graph.get(name, ())))
    return []


class House(unittest.TestCase):
    def test_arrows_run_one_way(self):
        for file in SOURCE.rglob("*.py"):
            room = file.relative_to(SOURCE).parts[0].removesuffix(".py")
            for name in imports(file):
                if name.startswith("saltpath."):
                    other = name.split(".")[1]
                    self.assertTrue(
                        other == room or other in ALLOWED.get(room, set()),
                        f"{file.name} imports {name}",
                    )

    def test_the_core_is_a_ladder(self):
        for file in (SOURCE / "core").glob("*/**/*.py"):
            package = file.relative_to(SOURCE / "core").parts[0]
            for name in imports(file):
                if name.startswith("saltpath.core."):
                    other = name.split(".")[2]
                    below = LADDER.index(other) > LADDER.index(package)
                    self.assertFalse(below, f"{file.name} of {package} imports {name}")
        for file in (SOURCE / "engine").rglob("*.py"):
            for name in imports(file):
                self.assertNotIn(name.split(".")[2:3], [[word] for word in HELPS_THE_WRITER], file)

    def test_each_package_of_the_core_says_what_it_is_for(self):
        face = (SOURCE / "core" / "__init__.py").read_text(encoding="utf-8")
        self.assertEqual(tuple(re.findall(r"^(\w+) {2,}", face, re.MULTILINE)), LADDER)
        folders = {
            path.name for path in (SOURCE / "core").iterdir() if (path / "__init__.py").exists()
        }
        self.assertEqual(folders, set(LADDER))
        for package in LADDER:
            tree = ast.parse(
                (SOURCE / "core" / package / "__init__.py").read_text(encoding="utf-8")
            )
            self.assertTrue(ast.get_docstring(tree), package)

    def test_no_import_leads_back(self):
        graph = {
            name: {other for other in imports(file, types=False) if other in MODULES}
            for name, file in MODULES.items()
            if file.name != "__init__.py"
        }
        self.assertEqual(circle_in(graph), [])
        self.assertEqual(circle_in({"a": {"b"}, "b": {"c"}, "c": {"b"}}), ["b", "c", "b"])

    def test_core_has_no_outside(self):
        forbidden = {
            "flask",
            "sqlite3",
            "socket",
            "pycurl",
            "asyncio",
            "time",
            "random",
            "waitress",
            "click",
            "rich",
        }
        for file in (SOURCE / "core").rglob("*.py"):
            roots = {name.split(".")[0] for name in imports(file)}
            if file.name == "time_limit.py":  # it measures how long work takes, and says no more
                roots.remove("time")
            self.assertFalse(roots & forbidden, f"{file}: {roots & forbidden}")

    def test_data_classes_are_structs(self):
        """A data class takes a millisecond to make at every start of the command, a Struct a
        twentieth of it."""
        for file in SOURCE.rglob("*.py"):
            self.assertNotIn("dataclasses", set(imports(file)), str(file))

    def test_sql_stands_in_the_store_alone(self):
        for file in SOURCE.rglob("*.py"):
            if not {"store", "harbour"} & set(file.parts) and "sqlite3" in file.read_text(
                encoding="utf-8"
            ):
                self.assertNotRegex(
                    file.read_text(encoding="utf-8"),
                    r"(SELECT|INSERT|UPDATE|DELETE) .*(FROM|INTO|SET) ",
                    str(file),
                )

    def test_no_module_is_too_long(self):
        """Lines that are not empty; whatever is longer has its reason in `LONG`."""
        for file in [*SOURCE.rglob("*.py"), *(ROOT / "web/src").rglob("*.ts*")]:
            if file.name != "api-types.ts":
                lines = file.read_text(encoding="utf-8").splitlines()
                most = LONG.get(file.relative_to(ROOT).as_posix(), (430, ""))[0]
                self.assertLessEqual(sum(1 for line in lines if line.strip()), most, str(file))


class Schemas(unittest.TestCase):
    def test_the_shipped_files_are_current(self):
        for name, make in schema.SCHEMAS.items():
            shipped = json.loads(
                (SOURCE / "schemas" / f"{name}.schema.json").read_text(encoding="utf-8")
            )
            self.assertEqual(shipped, make(), f"{name}: make schemas writes it")
            jsonschema.Draft202012Validator.check_schema(shipped)

    def test_they_know_the_reader_s_keys(self):
        case = schema.case_schema()
        self.assertEqual(set(case["properties"]), set(reader.CASE_KEYS))
        self.assertEqual(
            set(case["$defs"]["request"]["properties"]), set(request_reader.REQUEST_KEYS)
        )
        self.assertEqual(
            set(case["$defs"]["options"]["properties"]), set(options_reader.OPTION_KEYS)
        )
        self.assertEqual(
            set(case["$defs"]["check"]["properties"]), {*check_reader.CHECK_KEYS, *TABLE}
        )
        self.assertEqual(set(schema.shared_schema()["properties"]), set(reader.SHARED_KEYS))
        self.assertEqual(set(case["$defs"]["use"]["properties"]), set(reader.USE_KEYS))
        self.assertEqual(set(case["$defs"]["each"]["properties"]), set(reader.EACH_KEYS))
        self.assertEqual(set(schema.project_schema()["properties"]), set(project.PROJECT_KEYS))
        self.assertEqual(set(schema.suite_schema()["properties"]), set(project.SUITE_KEYS))
        self.assertEqual(
            set(schema.environment_schema()["properties"]), set(project.ENVIRONMENT_KEYS)
        )
        watch = schema.watch_schema()["properties"]
        self.assertEqual(set(watch), set(writer.ORDER_OF_WATCH))
        self.assertEqual(set(watch["limits"]["properties"]), set(watch_reader.LIMIT_KEYS))

    def test_every_key_is_explained(self):
        known = {
            *reader.CASE_KEYS,
            *reader.SHARED_KEYS,
            *reader.USE_KEYS,
            *reader.EACH_KEYS,
            *shared_reader.INPUT_KEYS,
            *request_reader.REQUEST_KEYS,
            *options_reader.OPTION_KEYS,
            *request_reader.AUTH_KINDS,
        }
        known |= {key for keys in check_reader.GROUPS.values() for key in keys} | set(
            check_reader.CHECK_KEYS
        )
        self.assertEqual(known - set(words.KEYS), set())

    def test_the_demonstration_fits_them(self):
        for file in (SOURCE / "demo").rglob("*.yaml"):
            kind = (
                "case"
                if file.name.endswith(".case.yaml")
                else "shared"
                if file.name.endswith(".steps.yaml")
                else "environment"
                if file.parent.name == "environments"
                else "watch"
                if file.name.endswith(".watch.yaml")
                else file.stem
            )
            data = json.loads(json.dumps(read_source(file.read_text()).root.data(), default=float))
            jsonschema.Draft202012Validator(schema.SCHEMAS[kind]()).validate(data)


class Documentation(unittest.TestCase):
    """Every example in docs/case-format.md is read as what it says it is; what it says is refused
    is refused."""

    def test_examples(self):
        text = (ROOT / "docs/case-format.md").read_text(encoding="utf-8")
        readers = {
            "case": reader.read_case,
            "shared": reader.read_case,
            "project": project.read_project,
            "suite": project.read_suite,
            "environment": project.read_environment,
            "watch": watch_reader.read_watch,
        }
        blocks = re.findall(r"```yaml (\w+)\n(.*?)```", text, re.DOTALL)
        self.assertGreater(len(blocks), 6)
        for kind, example in blocks:
            with self.subTest(example[:60]):
                if kind == "refused":
                    with self.assertRaises(ValueError):
                        reader.read_case(example)
                    continue
                readers[kind](example)
                data = json.loads(json.dumps(read_source(example).root.data(), default=float))
                jsonschema.Draft202012Validator(schema.SCHEMAS[kind]()).validate(data)

    def test_the_tables_are_current(self):
        text = (ROOT / "docs/case-format.md").read_text(encoding="utf-8")
        for name in tables.TABLES:
            self.assertIn(f"<!-- {name} -->", text)
        self.assertEqual(tables.filled(text), text, "make docs writes them")
