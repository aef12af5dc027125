"""A project as files: finds the root, reads project, environments, suites and cases in their
order."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from pathlib import Path
from typing import BinaryIO

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.cases.case import Case, Environment, Project, Suite
from saltpath.core.format.folder import SHARED_ENDING, folders_above
from saltpath.core.format.nodes import FormatError, Problem
from saltpath.core.format.project import read_environment, read_project, read_suite
from saltpath.core.format.reader import read_case
from saltpath.core.running.roles import handed_down, role_of
from saltpath.core.values.why import Blocked, why

CASE_ENDINGS = (".case.yaml", ".case.yml", ".case.json")
LARGEST_FILE = 20_000_000
LARGEST_SENT = 200_000_000


class CaseFile(Struct, frozen=True):
    """A case with its file (relative to the project's root) and the folder of its suite."""

    case: Case
    file: str
    folder: str
    text: str = ""


class ProjectFiles(Struct):
    """What was read. `suites` by folder, each within those that it stands in, `environments` by
    name, `cases` in the order in which they run, `shared` steps by the name of their file, without
    its ending, which `shared_files` has whole."""

    root: Path
    project: Project
    text: str = ""
    environments: dict[str, Environment] = field(default_factory=dict)
    suites: dict[str, Suite] = field(default_factory=dict)
    suite_texts: dict[str, str] = field(default_factory=dict)
    environment_texts: dict[str, str] = field(default_factory=dict)
    cases: list[CaseFile] = field(default_factory=list)
    around: list[CaseFile] = field(default_factory=list)
    """Cases beside these that set their suites up, or clean up after them."""
    shared: dict[str, Case] = field(default_factory=dict)
    shared_files: dict[str, str] = field(default_factory=dict)

    def environment(self, name: str) -> Environment | None:
        """The environment by its name or its file's name, upper or lower case; the project's own if
        none is named. Raises FormatError if there is none of that name."""
        wanted = name or self.project.environment
        if not wanted:
            return None
        for environment in self.environments.values():
            if environment.name.lower() == wanted.lower():
                return environment
        known = ", ".join(self.environments) or "none"
        raise FormatError([Problem(f"there is no environment {wanted!r}; the project has {known}")])


def load(paths: Iterable[Path]) -> ProjectFiles:
    """Read everything that the paths (a project, folders, case files) name. Raises FormatError with
    every problem."""
    wanted = [path.resolve() for path in paths]
    for path in wanted:
        if not path.exists():
            raise FormatError([Problem("there is no such file or folder", file=str(path))])
    roots = {_root_of(path) for path in wanted}
    if len(roots) > 1:
        raise FormatError(
            [
                Problem(
                    "these paths belong to different projects: "
                    + ", ".join(map(str, sorted(roots)))
                )
            ]
        )
    problems: list[Problem] = []
    found = _project(roots.pop(), problems)
    for file in dict.fromkeys(file for path in wanted for file in _case_files(path, problems)):
        _case(found, file, problems)
    for folder, suite in list(found.suites.items()):
        if suite.set_up or suite.clean_up:
            _around(found, folder, suite, problems)
    if problems:
        raise FormatError(problems)
    for folder in sorted(found.suites):  # what stands around them first
        above = [found.suites[path] for path in folders_above(folder) if path in found.suites]
        if above:
            found.suites[folder] = replace(found.suites[folder], within=above[-1])
    _in_order(found)
    return found


def _root_of(path: Path) -> Path:
    folder = path if path.is_dir() else path.parent
    for candidate in (folder, *folder.parents):
        if (candidate / "project.yaml").is_file():
            return candidate
    return folder


def _project(root: Path, problems: list[Problem]) -> ProjectFiles:
    file = root / "project.yaml"
    found = ProjectFiles(root, Project(""))
    if file.is_file():
        try:
            found.text = text_of(file, "project.yaml")
            found.project = read_project(found.text)
        except FormatError as problem:
            problems += problem.problems
    for path in sorted((root / "environments").glob("*.yaml")):
        name = f"environments/{path.name}"
        try:
            text = text_of(path, name)
            environment = read_environment(text, name)
        except FormatError as problem:
            problems += problem.problems
            continue
        found.environments[environment.name] = environment
        found.environment_texts[environment.name] = text
    for path in sorted((root / "shared").glob(f"*{SHARED_ENDING}")):
        _shared(found, path, problems)
    return found


def _shared(found: ProjectFiles, path: Path, problems: list[Problem]) -> None:
    name, file = path.name.removesuffix(SHARED_ENDING), f"shared/{path.name}"
    try:
        read = read_case(text_of(path, file), file)
    except FormatError as problem:
        problems += problem.problems
        return
    if not read.is_shared:
        problems.append(
            Problem(
                "these are no shared steps; the file begins with shared: and their name",
                1,
                file=file,
            )
        )
    found.shared[name], found.shared_files[name] = read, file


def _case_files(path: Path, problems: list[Problem]) -> Iterator[Path]:
    if path.is_file():
        if not path.name.endswith(CASE_ENDINGS):
            problems.append(
                Problem("this is not a case file; its name ends in .case.yaml", file=str(path))
            )
            return
        yield path
        return
    yield from sorted(file for file in path.rglob("*.case.*") if file.name.endswith(CASE_ENDINGS))


def _case(found: ProjectFiles, file: Path, problems: list[Problem]) -> None:
    name = file.relative_to(found.root).as_posix()
    folder = file.parent.relative_to(found.root).as_posix()
    try:
        text = text_of(file, name)
        found.cases.append(CaseFile(read_case(text, name), name, folder, text))
    except FormatError as problem:
        problems += problem.problems
    for path in [*folders_above(folder), folder]:
        _suite(found, path, problems)


def _suite(found: ProjectFiles, folder: str, problems: list[Problem]) -> None:
    name = f"{folder}/suite.yaml"
    if folder in found.suites or not (found.root / name).is_file():
        return
    try:
        found.suite_texts[folder] = text_of(found.root / name, name)
        found.suites[folder] = read_suite(found.suite_texts[folder], name)
    except FormatError as problem:
        found.suites[folder] = Suite("")
        problems += problem.problems


def _around(found: ProjectFiles, folder: str, suite: Suite, problems: list[Problem]) -> None:
    """Read the cases that stand around the others of a suite, where they are not among these."""
    beside = ProjectFiles(found.root, found.project, suites=found.suites)
    read = {case.file for case in found.cases}
    for file in sorted((found.root / folder).glob("*.case.*")):
        name = file.relative_to(found.root).as_posix()
        if file.name.endswith(CASE_ENDINGS) and name not in read:
            _case(beside, file, [])  # of those that cannot be read only these are missed
    own = [case for case in [*found.cases, *beside.cases] if case.folder == folder]
    for key, names in (("set up", suite.set_up), ("clean up", suite.clean_up)):
        for number, name in enumerate(names):
            only = Suite("", set_up=(name,))
            if not any(role_of(only, case.case.key, case.file) for case in own):
                problem = f"{key}[{number}]: there is no case {name} beside it that can be read"
                problems.append(Problem(problem, file=f"{folder}/suite.yaml"))
    around = [case for case in beside.cases if case.folder == folder]
    found.around += [case for case in around if role_of(suite, case.case.key, case.file)]
    set_up = [case for case in own if role_of(suite, case.case.key, case.file) == "set up"]
    names_handed = frozenset[str]().union(*(handed_down(case.case) for case in set_up))
    found.suites[folder] = replace(suite, handed=names_handed)


def _in_order(found: ProjectFiles) -> None:
    """Suites by folder name; within one, its own order first, then by file name."""

    def rank(case: CaseFile) -> tuple[str, int, str]:
        suite = found.suites.get(case.folder)
        name = case.file.rsplit("/", 1)[-1]
        order = suite.order if suite else ()
        stems = [entry.removesuffix(".case.yaml") for entry in order]
        stem = name.split(".case.")[0]
        return case.folder, stems.index(stem) if stem in stems else len(stems), stem

    found.cases.sort(key=rank)


def text_of(path: Path, name: str) -> str:
    """A file of the project; `name`: what it is called in problems. Raises FormatError."""
    try:
        if path.stat().st_size > LARGEST_FILE:
            raise FormatError([Problem("the file is larger than 20 MB", file=name)])
        return path.read_text(encoding="utf-8")
    except UnicodeDecodeError as problem:
        line = problem.object.count(b"\n", 0, problem.start) + 1
        raise FormatError([Problem("the file is not UTF-8", line, file=name)]) from None
    except OSError as problem:
        raise FormatError(
            [Problem(f"the file cannot be read: {problem.strerror}", file=name)]
        ) from None


def file_opener(root: Path) -> Callable[[str], BinaryIO]:
    """Opens files below the root; what leads outside it, by whatever way, blocks whoever asks."""
    home = root.resolve()

    def opened(path: str) -> BinaryIO:
        try:
            file = (home / path).resolve()
            if not file.is_relative_to(home):
                raise Blocked(why("no-file", path=path, problem="it leads outside the project"))
            if not file.is_file():
                raise FileNotFoundError
            return file.open("rb")
        except FileNotFoundError:
            raise Blocked(why("no-file", path=path, problem="there is no such file")) from None
        except (OSError, ValueError) as problem:
            raise Blocked(
                why("no-file", path=path, problem=getattr(problem, "strerror", "") or str(problem))
            ) from None

    return opened


def file_reader(root: Path) -> Callable[[str], bytes]:
    """Reads files below the root for bodies and certificates."""
    opened = file_opener(root)

    def read(path: str) -> bytes:
        with opened(path) as file:
            octets = file.read(LARGEST_SENT + 1)
        if len(octets) > LARGEST_SENT:
            raise Blocked(why("no-file", path=path, problem="it is larger than 200 MB"))
        return octets

    return read
