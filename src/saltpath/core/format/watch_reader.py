"""Watch files to their type."""

from __future__ import annotations

from collections.abc import Callable
from datetime import UTC, datetime, timedelta
from typing import Any, TypeVar, get_args
from zoneinfo import ZoneInfo

from saltpath.core.format.nodes import FormatError, Node, from_data
from saltpath.core.format.options_reader import named_values
from saltpath.core.format.picking import read_picks
from saltpath.core.format.reader import located, read_tags, version
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.source import read_source
from saltpath.core.format.writer import ORDER_OF_WATCH
from saltpath.core.values import plain
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.moments import read_moment
from saltpath.core.watching.hours import read_hours
from saltpath.core.watching.limits import read_limit, read_over, read_share, read_within
from saltpath.core.watching.schedule import Cron, Every, read_cron, read_every, read_zone
from saltpath.core.watching.states import Rule
from saltpath.core.watching.watch import USUAL_EVERY, Limits, Maintenance, Of, Watch, Within

LIMIT_KEYS = ("time", "answers", "available", "over")
MOST_WITHIN = 5
MAINTENANCE_KEYS = ("from", "to", "hours", "note")
MOST_IN_A_ROW = 1_000
MOST_OF_NAME = 200
"""Characters, as everywhere in our API."""
_EPOCH = datetime(1970, 1, 1, tzinfo=UTC)
Read = TypeVar("Read")


def read_watch(source: str | dict[str, object], file: str = "watch.yaml") -> Watch:
    """Read a watch file's text or document. Raises FormatError."""
    reading, root = Reading(file), _root(source, file)
    keys = reading.mapping(root, "", ORDER_OF_WATCH, (), "a watch file")
    version(reading, keys.get("salt-path"), root)
    if "watch" not in keys:
        reading.wrong("a watch file needs a name: watch: Tide tables", "", root.line)
    of, what = _of(reading, keys, root)
    zone = _zone(reading, keys.get("zone"))
    values = _values(reading, keys.get("values"))

    def text(key: str, what: str = "") -> str:
        return reading.text(keys.get(key), key, what or key)

    def flag(key: str, default: bool = False) -> bool:
        return reading.flag(keys.get(key), key, key, default)

    watch = Watch(
        _name(reading, keys.get("watch")),
        of,
        what,
        text("key"),
        text("about"),
        _when(reading, keys),
        tuple(_each(reading, keys.get("hours"), "hours", read_hours)),
        zone,
        flag("exact"),
        text("environment"),
        _said(reading, keys.get("pick"), "pick", _picks) or "",
        values,
        _limits(reading, keys.get("limits")),
        Rule(_in_a_row(reading, keys, "bad after", 3), _in_a_row(reading, keys, "good after", 1)),
        flag("try again", True),
        flag("may change"),
        _maintenance(reading, keys.get("maintenance"), zone),
        tuple(
            reading.text(node, f"tell[{i}]", "a route's name")
            for i, node in enumerate(reading.items(keys.get("tell"), "tell", "tell"))
        ),
        flag("urgent", True),
        read_tags(reading, keys.get("tags")),
        text("supplier"),
        flag("off"),
    )
    reading.finish()
    return watch


def _root(source: str | dict[str, object], file: str) -> Node:
    if not isinstance(source, str):
        return from_data(source)
    try:
        return read_source(source).root
    except FormatError as problem:
        raise located(problem, file) from None


def _name(reading: Reading, node: Node | None) -> str:
    name = reading.text(node, "watch", "the watch's name")
    if node is not None and len(name) > MOST_OF_NAME:
        told = f"a watch's name has at most {MOST_OF_NAME} characters"
        reading.wrong(told, "watch", node.line)
    return name


def _of(reading: Reading, keys: dict[str, Node], root: Node) -> tuple[Of, str]:
    named = [kind for kind in get_args(Of) if kind in keys]
    if len(named) != 1:
        reading.wrong(
            "a watch watches one thing: a case (by its key or its file), a suite (by its folder), "
            "or a tag",
            "",
            root.line,
        )
        return "case", ""
    what = reading.text(keys[named[0]], named[0], f"what is watched, a {named[0]}")
    return named[0], what.removesuffix("/") if named[0] == "suite" else what


def _when(reading: Reading, keys: dict[str, Node]) -> Every | Cron:
    if "every" in keys and "cron" in keys:
        line = keys["cron"].line
        reading.wrong("a watch is due every so often or by cron, not both", "cron", line)
    if "cron" in keys:
        said = _said(reading, keys["cron"], "cron", lambda text: read_cron(text, "UTC"))
        return said or USUAL_EVERY
    us = _said(reading, keys.get("every"), "every", read_every)
    return Every(us) if us else USUAL_EVERY


def _zone(reading: Reading, node: Node | None) -> str:
    def named(text: str) -> str:
        read_zone(text)
        return text

    return _said(reading, node, "zone", named) or ""


def _values(reading: Reading, node: Node | None) -> dict[str, str]:
    """As texts, the way that any run is given some."""
    given = named_values(reading, node, "values")
    if node is not None and given.secret:
        told = "a watch has no secrets of its own; keep them in the project"
        reading.wrong(told, "values", node.line)
    made: dict[str, str] = {}
    for name, value in given.values.items():
        path = f"values.{name}"
        line = node.keys.get(name, node.line) if node is not None else 0
        if isinstance(value, (list, dict)) or value is None:
            told = f"a watch gives texts and numbers; found {plain.show(value, 60)}"
            reading.wrong(told, path, line)
        elif "[=" in (text := plain.as_text(value)):
            reading.wrong("what a watch gives is not read for references", path, line)
        else:
            made[name] = text
    return made


def _picks(text: str) -> str:
    read_picks(text)
    return text


def _said(
    reading: Reading, node: Node | None, path: str, read: Callable[[str], Read]
) -> Read | None:
    """What a text says; what is wrong with it stands among the file's problems."""
    text = reading.text(node, path, path)
    if node is None or not text:
        return None
    try:
        return read(text)
    except Unreadable as problem:
        reading.wrong(str(problem), path, node.line)
        return None


def _each(
    reading: Reading, node: Node | None, path: str, read: Callable[[str], Read]
) -> list[Read]:
    """What one text says, or a list of them."""
    if node is None:
        return []
    if not isinstance(node.value, list):
        one = _said(reading, node, path, read)
        return [one] if one else []
    each = (_said(reading, child, f"{path}[{i}]", read) for i, child in enumerate(node.value))
    return [one for one in each if one]


def _limits(reading: Reading, node: Node | None) -> Limits:
    if node is None:
        return Limits()
    keys = reading.mapping(node, "limits", LIMIT_KEYS, (), "limits")
    return Limits(
        reading.measure(keys.get("time"), "limits.time", read_limit),
        _answers(reading, keys.get("answers")),
        _said(reading, keys.get("available"), "limits.available", read_share),
        _said(reading, keys.get("over"), "limits.over", read_over) or 0,
    )


def _answers(reading: Reading, node: Node | None) -> tuple[Within, ...]:
    """One text, or a list of them."""
    made = _each(reading, node, "limits.answers", read_within)
    if node is not None and len(made) > MOST_WITHIN:
        told = f"a watch has at most {MOST_WITHIN} limits of its answers"
        reading.wrong(told, "limits.answers", node.line)
    return tuple(made)


def _in_a_row(reading: Reading, keys: dict[str, Node], key: str, usual: int) -> int:
    node = keys.get(key)
    if node is None:
        return usual
    value = node.value
    if isinstance(value, int) and not isinstance(value, bool) and 1 <= value <= MOST_IN_A_ROW:
        return value
    reading.wrong(f"{key} is a number of runs, 1 to 1000; found {found(node)}", key, node.line)
    return usual


def _maintenance(reading: Reading, node: Node | None, zone: str) -> tuple[Maintenance, ...]:
    made: list[Maintenance] = []
    for i, child in enumerate(reading.items(node, "maintenance", "maintenance")):
        path = f"maintenance[{i}]"
        keys = reading.mapping(child, path, MAINTENANCE_KEYS, (), "maintenance")
        note = reading.text(keys.get("note"), f"{path}.note", "note")
        if "hours" in keys:
            hours = _said(reading, keys["hours"], f"{path}.hours", read_hours)
            if "from" in keys or "to" in keys:
                reading.wrong("give hours, or from and to", path, child.line)
            if hours:
                made.append(Maintenance(hours=hours, note=note))
            continue
        begin, end = (_moment(reading, keys.get(name), f"{path}.{name}", zone) for name in _ENDS)
        if begin is None or end is None:
            if not {"from", "to"} <= set(keys):
                told = "maintenance has from and to, or hours such as 02:00 to 04:00 on Sundays"
                reading.wrong(told, path, child.line)
        elif end <= begin:
            reading.wrong("maintenance ends after it begins", path, child.line)
        else:
            made.append(Maintenance(begin, end, note=note))
    return tuple(made)


_ENDS = ("from", "to")


def _moment(reading: Reading, node: Node | None, path: str, zone: str) -> int | None:
    def read(text: str) -> int:
        try:
            moment = read_moment(text, ZoneInfo(zone or "UTC"))
        except ValueError as problem:
            raise Unreadable(str(problem)) from None
        return (moment - _EPOCH) // timedelta(microseconds=1)

    return _said(reading, node, path, read)


def named_in(document: Any) -> set[str]:
    """The routes that a watch's document names, whatever else stands in it."""
    told = document.get("tell") if isinstance(document, dict) else None
    return {name for name in told if isinstance(name, str)} if isinstance(told, list) else set()
