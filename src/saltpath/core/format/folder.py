"""A project as a folder of files, in memory: read from texts, written to texts, nothing lost either
way.

What is written reads back as the same, and what was written once is written the same again, byte
for byte. Secrets have no place in it.
"""

from __future__ import annotations

import re
import unicodedata
from collections.abc import Mapping
from typing import Any

from msgspec import Struct, field

from saltpath.core.format.nodes import FormatError, Problem
from saltpath.core.format.project import read_environment, read_project, read_suite
from saltpath.core.format.reader import located, read_case
from saltpath.core.format.source import read_source

SHARED_ENDING = ".steps.yaml"
WATCH_ENDING = ".watch.yaml"
CASE_ENDINGS = (".case.yaml", ".case.yml", ".case.json")
Comments = dict[str, list[str]]


class Entry(Struct, frozen=True):
    """A document with the comment lines above its places."""

    document: dict[str, Any]
    comments: Comments = field(default_factory=dict)


class Folder(Struct):
    """A whole project. `environments` by name, `suites` by folder (in the order of their names),
    `shared` steps by the name that cases use, `cases` by path in the order in which they run,
    `watches` by the names of their files, `files` whatever else lies there, by path."""

    project: Entry
    environments: dict[str, Entry] = field(default_factory=dict)
    suites: dict[str, Entry] = field(default_factory=dict)
    shared: dict[str, Entry] = field(default_factory=dict)
    cases: dict[str, Entry] = field(default_factory=dict)
    watches: dict[str, Entry] = field(default_factory=dict)
    files: dict[str, bytes] = field(default_factory=dict)

    def cases_of(self, suite: str) -> list[str]:
        """The paths of a suite's cases, in order."""
        return [path for path in self.cases if path.rpartition("/")[0] == suite]


def folders_above(path: str) -> list[str]:
    """The folders that a suite's own may stand in, the outermost first; the project's is none."""
    parts = path.split("/")
    return ["/".join(parts[:depth]) for depth in range(1, len(parts))]


def slug(name: str, default: str = "case") -> str:
    """A name as a file's: small letters, digits and hyphens."""
    plain = unicodedata.normalize("NFKD", name).encode("ascii", "ignore").decode().lower()
    return re.sub(r"[^a-z0-9]+", "-", plain).strip("-")[:60] or default


def write_folder(folder: Folder) -> dict[str, bytes]:
    """Every file by its path."""
    files = {"project.yaml": _text(folder.project)}
    for name, entry in folder.environments.items():
        stem = f"environments/{slug(name, 'environment')}"
        names = (
            f"{stem}.yaml",
            *(f"{stem}-{number}.yaml" for number in range(2, len(folder.environments) + 2)),
        )
        files[next(path for path in names if path not in files)] = _text(entry)
    for path, entry in folder.suites.items():
        files[f"{path}/suite.yaml"] = _text(
            Entry(_with_order(entry.document, folder.cases_of(path)), entry.comments)
        )
    for name, entry in folder.shared.items():
        files[f"shared/{name}{SHARED_ENDING}"] = _text(entry)
    for path, entry in folder.cases.items():
        files[path] = _text(entry)
    for name, entry in folder.watches.items():
        files[watch_path(name)] = _text(entry)
    return {**files, **{path: octets for path, octets in folder.files.items() if path not in files}}


def _text(entry: Entry) -> bytes:
    from saltpath.core.format.writer import write_document  # a run only reads

    return write_document(entry.document, entry.comments).encode()


def _with_order(document: dict[str, Any], paths: list[str]) -> dict[str, Any]:
    """The suite with the order of its cases, where their names alone do not give it."""
    stems = [_stem(path) for path in paths]
    if "order" in document or stems != sorted(stems):
        return (
            {**document, "order": stems}
            if stems
            else {k: v for k, v in document.items() if k != "order"}
        )
    return document


def _stem(path: str) -> str:
    return path.rpartition("/")[2].split(".case.")[0]


def read_folder(files: Mapping[str, bytes]) -> Folder:
    """A project from its files. Raises FormatError with everything that is wrong, each with file
    and line."""
    problems: list[Problem] = []
    texts = {
        path: _decoded(path, octets, problems)
        for path, octets in files.items()
        if is_document(path)
    }
    if "project.yaml" not in texts:
        problems.append(
            Problem("there is no project.yaml here, so this is no project", file="project.yaml")
        )
    folder = Folder(_entry("project.yaml", texts.get("project.yaml", ""), read_project, problems))
    for path in sorted(texts, key=lambda path: path.removesuffix(".yaml")):  # a.yaml, then a-2.yaml
        if path.startswith("environments/"):
            entry = _entry(path, texts[path], read_environment, problems)
            folder.environments[str(entry.document.get("environment", path))] = entry
        elif _is_shared(path):
            name = path.removeprefix("shared/").removesuffix(SHARED_ENDING)
            folder.shared[name] = _entry(path, texts[path], _read_shared, problems)
        elif _is_watch(path):
            name = path.removeprefix("watches/").removesuffix(WATCH_ENDING)
            folder.watches[name] = _entry(path, texts[path], _read_watch, problems)
        elif path.endswith("/suite.yaml"):
            folder.suites[path.removesuffix("/suite.yaml")] = _entry(
                path, texts[path], read_suite, problems
            )
    cases = {
        path: _entry(path, text, read_case, problems)
        for path, text in texts.items()
        if path.endswith(CASE_ENDINGS)
    }
    for path in cases:
        suite = path.rpartition("/")[0]
        if suite not in folder.suites:
            name = suite.rpartition("/")[2].replace("-", " ").capitalize() or "Cases"
            folder.suites[suite] = Entry({"salt-path": 1, "suite": name})
    if problems:
        raise FormatError(problems)
    folder.suites = dict(sorted(folder.suites.items()))
    folder.cases = {
        path: cases[path] for path in sorted(cases, key=lambda path: _rank(path, folder))
    }
    folder.files = {path: octets for path, octets in sorted(files.items()) if path not in texts}
    return folder


def is_document(path: str) -> bool:
    """Whether a file of this path is one of the format's own, rather than one that cases use."""
    if path.endswith(CASE_ENDINGS) or path == "project.yaml":
        return True
    if _is_shared(path) or _is_watch(path):
        return True
    return path.endswith("/suite.yaml") or (
        path.startswith("environments/") and path.endswith(".yaml")
    )


def _is_shared(path: str) -> bool:
    return path.startswith("shared/") and path.endswith(SHARED_ENDING) and path.count("/") == 1


def _is_watch(path: str) -> bool:
    return path.startswith("watches/") and path.endswith(WATCH_ENDING) and path.count("/") == 1


def watch_path(name: str) -> str:
    """Where a watch's file stands, by the file's name."""
    return f"watches/{name}{WATCH_ENDING}"


def _read_watch(text: str, path: str) -> None:
    from saltpath.core.format.watch_reader import read_watch  # for projects that have some

    read_watch(text, path)


def _read_shared(text: str, path: str) -> None:
    if not read_case(text, path).is_shared:
        raise FormatError(
            [Problem("these are no shared steps; the file begins with shared: and their name", 1)]
        )


def _decoded(path: str, octets: bytes, problems: list[Problem]) -> str:
    try:
        return octets.decode()
    except UnicodeDecodeError as problem:
        line = octets.count(b"\n", 0, problem.start) + 1
        problems.append(Problem("the file is not UTF-8", line, file=path))
        return ""


def _entry(path: str, text: str, check: Any, problems: list[Problem]) -> Entry:
    try:
        source = read_source(text)
        check(text, path)
        document = source.root.data()
    except FormatError as problem:
        problems += located(problem, path).problems
        return Entry({})
    if check is read_suite and "suite" not in document:
        document = {**document, "suite": path.split("/")[-2].replace("-", " ").capitalize()}
    return Entry(document, source.comments)


def _rank(path: str, folder: Folder) -> tuple[str, int, str]:
    suite, stem = path.rpartition("/")[0], _stem(path)
    order = [
        str(name).removesuffix(".case.yaml")
        for name in folder.suites[suite].document.get("order", [])
    ]
    return suite, order.index(stem) if stem in order else len(order), stem
