"""Look-ups of a case, and the databases of a project."""

from __future__ import annotations

from saltpath.core.answers.subjects import Subject
from saltpath.core.cases.case import Database, LookUp
from saltpath.core.cases.expectations import Place, checks_in, subjects_in
from saltpath.core.cases.statement import changes
from saltpath.core.format.asked_reader import read_asked, read_most
from saltpath.core.format.check_reader import read_expectations
from saltpath.core.format.nodes import Node
from saltpath.core.format.options_reader import options
from saltpath.core.format.output_reader import read_write
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.request_reader import read_condition, read_keeps, read_repeat
from saltpath.core.running.step_references import asks
from saltpath.core.values.nearest import listed

LOOKUP_KEYS = (
    "look up",
    "key",
    "off",
    "in",
    "rows of",
    "columns",
    "where",
    "order by",
    "sql",
    "most rows",
    "options",
    "only if",
    "repeat",
    "expect",
    "keep",
    "write",
)
DATABASE_KEYS = ("sqlite", "postgres", "user", "password", "tls", "may change")
TLS = ("off", "require", "verify")
MOST_ROWS = 1_000
_OF_ROWS = ("path", "time", "size", "value")


def read_lookup(reading: Reading, node: Node, path: str, key: str, off: bool) -> LookUp:
    """A step that looks rows up."""
    keys = reading.mapping(node, path, LOOKUP_KEYS, (), "a look-up")
    asked = read_asked(reading, keys, path, node)
    expect = read_expectations(reading, keys.get("expect"), f"{path}.expect", "expect")
    keep = read_keeps(reading, keys.get("keep"), f"{path}.keep")
    repeat = read_repeat(reading, keys.get("repeat"), f"{path}.repeat")
    every = (*expect, *(repeat.until if repeat else ()))
    for subject in (*subjects_in(every), *(item.of for item in keep)):
        _of_rows(reading, subject, path, node)
    for check in checks_in(every):
        if check.relation == "same as last pass":
            reading.wrong(
                "rows are not compared with the last pass", check.place.path, check.place.line
            )
    return LookUp(
        name=reading.text(keys["look up"], path, "the step's name"),
        key=key,
        database=reading.text(keys.get("in"), f"{path}.in", "the name of a database"),
        asked=asked,
        changes=changes(asked),
        most=read_most(reading, keys.get("most rows"), f"{path}.most rows", MOST_ROWS),
        options=options(reading, keys.get("options"), f"{path}.options"),
        expect=expect,
        keep=keep,
        only_if=read_condition(reading, keys.get("only if"), f"{path}.only if"),
        repeat=repeat,
        write=read_write(reading, keys.get("write"), f"{path}.write"),
        asks=asks(every),
        off=off,
        place=Place(path, node.line),
    )


def _of_rows(reading: Reading, subject: Subject, path: str, node: Node) -> None:
    if subject.kind not in _OF_ROWS:
        reading.wrong(
            f"{subject.text} has no meaning for rows; expected a path such as $[0].state, time, "
            "or value NAME",
            path,
            node.line,
        )


def read_databases(reading: Reading, node: Node | None) -> dict[str, Database]:
    """A project's `databases:` by name."""
    if node is None:
        return {}
    if not isinstance(node.value, dict):
        reading.wrong(
            f"databases must be a mapping of names; found {found(node)}", "databases", node.line
        )
        return {}
    return {
        name: database
        for name, child in node.value.items()
        if (database := _database(reading, child, f"databases.{name}")) is not None
    }


def _database(reading: Reading, node: Node, path: str) -> Database | None:
    keys = reading.mapping(node, path, DATABASE_KEYS, (), "a database")
    if ("sqlite" in keys) == ("postgres" in keys):
        reading.wrong(
            "a database is { sqlite: data/harbour.db } or { postgres: host:5432/name, user: ..., "
            "password: ... }",
            path,
            node.line,
        )
        return None
    kind = "sqlite" if "sqlite" in keys else "postgres"
    if kind == "sqlite":
        for key in ("user", "password", "tls"):
            if key in keys:
                reading.wrong(f"{key!r} has no meaning for a SQLite file", path, keys[key].line)
    tls = (
        "off"
        if keys.get("tls", Node("")).value is False
        else reading.text(keys.get("tls"), f"{path}.tls", "tls")
    )
    if tls and tls not in TLS:
        reading.wrong(f"tls is {listed(TLS)}; found {tls!r}", f"{path}.tls", keys["tls"].line)
    user, password = (
        reading.template(keys[key], f"{path}.{key}", key) if key in keys else None
        for key in ("user", "password")
    )
    return Database(
        kind,  # type: ignore[arg-type]
        reading.template(keys[kind], f"{path}.{kind}", kind),
        user,
        password,
        tls,
        reading.flag(keys.get("may change"), f"{path}.may change", "may change"),
        Place(path, node.line),
    )
