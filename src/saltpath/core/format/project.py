"""Project, suite and environment files to their types."""

from __future__ import annotations

from saltpath.core.cases.case import Database, Environment, NamedValues, Project, Suite
from saltpath.core.cases.row_sources import Source
from saltpath.core.format.check_reader import read_expectations
from saltpath.core.format.nodes import FormatError, Node, from_data
from saltpath.core.format.options_reader import named_values, options
from saltpath.core.format.reader import located, read_tags, version
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.request_reader import read_sign_in
from saltpath.core.format.source import read_source
from saltpath.core.values.moments import NoMoment, zone_of

PROJECT_KEYS = (
    "salt-path",
    "project",
    "about",
    "values",
    "options",
    "auth",
    "every answer",
    "zone",
    "environment",
    "sources",
    "databases",
)
SUITE_KEYS = (
    "salt-path",
    "suite",
    "about",
    "tags",
    "values",
    "values in",
    "options",
    "auth",
    "every answer",
    "order",
    "in order",
    "set up",
    "clean up",
)
ENVIRONMENT_KEYS = ("salt-path", "environment", "about", "values", "guarded")


def _root(source: str | dict[str, object], file: str) -> Node:
    if not isinstance(source, str):
        return from_data(source)
    try:
        return read_source(source).root
    except FormatError as problem:
        raise located(problem, file) from None


def read_project(source: str | dict[str, object], file: str = "project.yaml") -> Project:
    """Read a project file's text or document. Raises FormatError."""
    reading, root = Reading(file), _root(source, file)
    keys = reading.mapping(root, "", PROJECT_KEYS, (), "a project file")
    version(reading, keys.get("salt-path"), root)
    zone = reading.text(keys.get("zone"), "zone", "zone") or "UTC"
    try:
        zone_of(zone)
    except NoMoment:
        reading.wrong(
            f"there is no time zone {zone!r}; expected a name such as Europe/Oslo",
            "zone",
            keys["zone"].line,
        )
    if "project" not in keys:
        reading.wrong("a project file needs a name: project: Fernholm Harbour", "", root.line)
    project = Project(
        name=reading.text(keys.get("project"), "project", "the project's name"),
        about=reading.text(keys.get("about"), "about", "about"),
        values=named_values(reading, keys.get("values"), "values"),
        options=options(reading, keys.get("options"), "options"),
        every_answer=read_expectations(
            reading, keys.get("every answer"), "every answer", "every answer"
        ),
        auth=read_sign_in(reading, keys.get("auth"), "auth"),
        zone=zone,
        environment=reading.text(keys.get("environment"), "environment", "environment"),
        sources=_sources(reading, keys.get("sources")),
        databases=_databases(reading, keys.get("databases")),
    )
    reading.finish()
    return project


def _databases(reading: Reading, node: Node | None) -> dict[str, Database]:
    if node is None:
        return {}
    from saltpath.core.format.lookup_reader import read_databases  # for projects that have some

    return read_databases(reading, node)


def _sources(reading: Reading, node: Node | None) -> dict[str, Source]:
    """Data sources by name."""
    if node is None:
        return {}
    if not isinstance(node.value, dict):
        reading.wrong(
            f"sources must be a mapping of names; found {found(node)}", "sources", node.line
        )
        return {}
    from saltpath.core.format.row_kinds import is_path, read_rows  # for projects that have some

    sources: dict[str, Source] = {}
    for name, child in node.value.items():
        if is_path(name) or not name.strip():
            line = node.keys.get(name, child.line)
            reading.wrong(
                f"a source's name is no path of a file; found {name!r}", f"sources.{name}", line
            )
        source = read_rows(reading, child, f"sources.{name}", named=False)
        if source is not None:
            sources[name] = source
    return sources


def read_suite(source: str | dict[str, object], file: str = "suite.yaml") -> Suite:
    """Read a suite file's text or document. Raises FormatError."""
    reading, root = Reading(file), _root(source, file)
    keys = reading.mapping(root, "", SUITE_KEYS, (), "a suite file")
    version(reading, keys.get("salt-path"), root)
    order = reading.items(keys.get("order"), "order", "order")
    suite = Suite(
        name=reading.text(keys.get("suite"), "suite", "the suite's name"),
        about=reading.text(keys.get("about"), "about", "about"),
        values=named_values(reading, keys.get("values"), "values"),
        tags=read_tags(reading, keys.get("tags")),
        values_in=_values_in(reading, keys.get("values in")),
        options=options(reading, keys.get("options"), "options"),
        every_answer=read_expectations(
            reading, keys.get("every answer"), "every answer", "every answer"
        ),
        auth=read_sign_in(reading, keys.get("auth"), "auth"),
        order=tuple(
            reading.text(node, f"order[{i}]", "a case's file name") for i, node in enumerate(order)
        ),
        in_order=reading.flag(keys.get("in order"), "in order", "in order"),
        set_up=_cases_named(reading, keys.get("set up"), "set up"),
        clean_up=_cases_named(reading, keys.get("clean up"), "clean up"),
    )
    for name in sorted(set(suite.set_up) & set(suite.clean_up)):
        told = f"{name} sets the suite up; it cannot clean up, too"
        reading.wrong(told, "clean up", keys["clean up"].line)
    reading.finish()
    return suite


def _cases_named(reading: Reading, node: Node | None, key: str) -> tuple[str, ...]:
    """Cases of a suite by their keys, or their files' names."""
    return tuple(
        reading.text(item, f"{key}[{i}]", "a case's file name").removesuffix(".case.yaml")
        for i, item in enumerate(reading.items(node, key, key))
    )


def _values_in(reading: Reading, node: Node | None) -> dict[str, NamedValues]:
    """A suite's values as they read in environments, by the environments' names."""
    if node is None:
        return {}
    if not isinstance(node.value, dict):
        reading.wrong(
            f"values in must be a mapping of environments, such as Live: {{ agent: desk }}; found "
            f"{found(node)}",
            "values in",
            node.line,
        )
        return {}
    return {
        name: named_values(reading, child, f"values in.{name}")
        for name, child in node.value.items()
    }


def read_environment(
    source: str | dict[str, object], file: str = "environment.yaml"
) -> Environment:
    """Read an environment file's text or document. Raises FormatError."""
    reading, root = Reading(file), _root(source, file)
    keys = reading.mapping(root, "", ENVIRONMENT_KEYS, (), "an environment file")
    version(reading, keys.get("salt-path"), root)
    name = reading.text(keys.get("environment"), "environment", "the environment's name")
    if "environment" not in keys:
        reading.wrong("an environment file needs a name: environment: Rehearsal", "", root.line)
    values = named_values(reading, keys.get("values"), "values")
    guarded = reading.flag(keys.get("guarded"), "guarded", "guarded")
    environment = Environment(
        name, reading.text(keys.get("about"), "about", "about"), values, guarded
    )
    reading.finish()
    return environment
