"""A document to a Case: every key known, every text parsed once, everything wrong reported with
line and nearest key."""

from __future__ import annotations

import re
from collections.abc import Callable
from typing import Any

from saltpath.core.cases.case import Case, ForEach, SetValues, Step, UseShared, Wait
from saltpath.core.cases.expectations import Place
from saltpath.core.cases.row_sources import Source
from saltpath.core.format.check_reader import read_expectations
from saltpath.core.format.nodes import FormatError, Node, Problem, from_data
from saltpath.core.format.options_reader import named_values, options
from saltpath.core.format.output_reader import read_write
from saltpath.core.format.reading import Reading, found
from saltpath.core.format.request_reader import read_condition, read_request, read_sign_in
from saltpath.core.format.shared_reader import defaults_of, read_inputs, read_names, read_outputs
from saltpath.core.format.source import read_source
from saltpath.core.references.templates import Template, compile_tree, is_name
from saltpath.core.values import measures
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed, nearest

CASE_KEYS = (
    "salt-path",
    "case",
    "about",
    "key",
    "register",
    "tags",
    "values",
    "rows",
    "options",
    "auth",
    "on failure",
    "every answer",
    "once",
    "steps",
    "afterwards",
    "at the end",
)
SHARED_KEYS = ("salt-path", "shared", "about", "key", "tags", "inputs", "outputs", "steps")
USE_KEYS = ("shared", "with", "gives", "key", "only if", "off")
EACH_KEYS = ("for each", "as", "steps", "key", "only if", "off")
MOST_LEVELS = 20
_CASE_KEY = re.compile(r"[a-z0-9]{10}")
_STEP_KEY = re.compile(r"[a-z0-9]{6}")


# ---- a case


def read_case(text: str, file: str = "") -> Case:
    """Read a case's text. Raises FormatError with every problem."""
    try:
        return case_of(read_source(text).root, file)
    except FormatError as problem:
        raise located(problem, file) from None


def case_from_data(data: Any) -> Case:
    """Read a case's document as the store keeps it. Raises FormatError."""
    return case_of(from_data(data), "")


def located(problem: FormatError, file: str) -> FormatError:
    """The same problems with the file's name."""
    return FormatError(
        [Problem(p.sentence, p.line, p.column, p.path, p.file or file) for p in problem.problems]
    )


def case_of(root: Node, file: str) -> Case:
    """A case, or shared steps, which say so by their first words."""
    if isinstance(root.value, dict) and "shared" in root.value and "case" not in root.value:
        return _shared_steps(root, file)
    reading = Reading(file)
    keys = reading.mapping(root, "", CASE_KEYS, (), "a case")
    version(reading, keys.get("salt-path"), root)
    if "case" not in keys:
        reading.wrong(
            "a case needs a name: case: A visiting vessel is given a berth", "", root.line
        )
    if not isinstance(keys.get("steps", Node([])).value, list) or "steps" not in keys:
        reading.wrong(
            "a case needs steps, a list", "", keys["steps"].line if "steps" in keys else root.line
        )
    on_failure = reading.text(keys.get("on failure"), "on failure", "on failure")
    if on_failure not in ("", "stop", "go on"):
        node = keys["on failure"]
        reading.wrong(
            f"on failure must be stop or go on; found {found(node)}", "on failure", node.line
        )
    case = Case(
        name=reading.text(keys.get("case"), "case", "the case's name"),
        key=_key(reading, keys.get("key"), "key", _CASE_KEY, "ten letters or digits"),
        about=reading.text(keys.get("about"), "about", "about"),
        register=reading.text(keys.get("register"), "register", "register"),
        tags=read_tags(reading, keys.get("tags")),
        values=named_values(reading, keys.get("values"), "values"),
        rows=_rows(reading, keys.get("rows")),
        options=options(reading, keys.get("options"), "options"),
        stop_on_failure=on_failure != "go on",
        every_answer=read_expectations(
            reading, keys.get("every answer"), "every answer", "every answer"
        ),
        auth=read_sign_in(reading, keys.get("auth"), "auth"),
        once=_steps(reading, keys.get("once"), "once"),
        steps=_steps(reading, keys.get("steps"), "steps"),
        afterwards=_steps(reading, keys.get("afterwards"), "afterwards"),
        at_the_end=_steps(reading, keys.get("at the end"), "at the end"),
        place=Place("", root.line),
    )
    reading.finish()
    return case


def _rows(reading: Reading, node: Node | None) -> Source | None:
    if node is None:
        return None
    from saltpath.core.format.row_kinds import read_rows  # for cases that have some

    return read_rows(reading, node)


def _shared_steps(root: Node, file: str) -> Case:
    reading = Reading(file)
    keys = reading.mapping(root, "", SHARED_KEYS, (), "shared steps")
    version(reading, keys.get("salt-path"), root)
    if not isinstance(keys.get("steps", Node([])).value, list) or "steps" not in keys:
        reading.wrong(
            "shared steps need steps, a list",
            "",
            keys["steps"].line if "steps" in keys else root.line,
        )
    inputs = read_inputs(reading, keys.get("inputs"))
    shared = Case(
        name=reading.text(keys["shared"], "shared", "the name of the shared steps"),
        key=_key(reading, keys.get("key"), "key", _CASE_KEY, "ten letters or digits"),
        about=reading.text(keys.get("about"), "about", "about"),
        tags=read_tags(reading, keys.get("tags")),
        values=defaults_of(inputs),
        steps=_steps(reading, keys.get("steps"), "steps"),
        is_shared=True,
        inputs=inputs,
        outputs=read_outputs(reading, keys.get("outputs")),
        place=Place("", root.line),
    )
    reading.finish()
    return shared


def read_tags(reading: Reading, node: Node | None) -> tuple[str, ...]:
    """Words that a case, or what it stands in, is found by."""
    return tuple(
        reading.text(item, f"tags[{i}]", "a tag")
        for i, item in enumerate(reading.items(node, "tags", "tags"))
    )


def version(reading: Reading, node: Node | None, root: Node) -> None:
    if node is None:
        reading.wrong("the first key must be salt-path: 1", "", root.line)
    elif node.value != 1 or isinstance(node.value, bool):
        reading.wrong(
            f"this is version {found(node)} of the format; this Salt Path reads 1",
            "salt-path",
            node.line,
        )


def _key(
    reading: Reading, node: Node | None, path: str, shape: re.Pattern[str], wanted: str
) -> str:
    key = reading.text(node, path, "key")
    if node is not None and key and not shape.fullmatch(key):
        reading.wrong(
            f"a key is {wanted}, written by Salt Path; found {found(node)}", path, node.line
        )
    return key


# ---- steps


def _steps(reading: Reading, node: Node | None, path: str, level: int = 0) -> tuple[Step, ...]:
    steps: list[Step] = []
    for index, child in enumerate(reading.items(node, path, path)):
        step = _step(reading, child, f"{path}[{index}]", level)
        if step is not None:
            steps.append(step)
    return tuple(steps)


def _step(reading: Reading, node: Node, path: str, level: int) -> Step | None:
    if not isinstance(node.value, dict):
        reading.wrong(
            f"a step must be a mapping that begins with its kind; found {found(node)}",
            path,
            node.line,
        )
        return None
    kinds = [key for key in STEP_READERS if key in node.value]
    if not kinds:
        near = next((n for key in node.value if (n := nearest(key, STEP_READERS))), None)
        hint = f"did you mean {near!r}?" if near else f"expected one of {listed(STEP_READERS)}"
        reading.wrong(f"this step has no kind; {hint}", path, node.line)
        return None
    return STEP_READERS[kinds[0]](reading, node, path, level)


def _request(reading: Reading, node: Node, path: str, level: int) -> Step:
    return read_request(reading, node, path, *own_keys(reading, node.value, path))


def _look_up(reading: Reading, node: Node, path: str, level: int) -> Step:
    from saltpath.core.format.lookup_reader import read_lookup  # for cases that look rows up

    return read_lookup(reading, node, path, *own_keys(reading, node.value, path))


def _use(reading: Reading, node: Node, path: str, level: int) -> Step:
    keys = reading.mapping(node, path, USE_KEYS, (), "a step with shared steps")
    of = reading.text(keys["shared"], path, "the name of the shared steps")
    gives: list[tuple[str, str]] = []
    for output, name in read_names(reading, keys.get("gives"), f"{path}.gives", "gives"):
        here = reading.text(name, f"{path}.gives.{output}", "the name here")
        if here and not is_name(here):
            reading.wrong(
                f"a name begins with a letter and is no reserved word; found {here!r}",
                f"{path}.gives",
                name.line,
            )
        gives.append((output, here))
    given = tuple(
        (name, reading.tree(child, f"{path}.with.{name}"))
        for name, child in read_names(reading, keys.get("with"), f"{path}.with", "with")
    )
    only_if = read_condition(reading, keys.get("only if"), f"{path}.only if")
    key, off = own_keys(reading, keys, path)
    return UseShared(
        of,
        key,
        of,
        given,
        tuple(gives),
        only_if,
        off,
        place=Place(path, node.line),
    )


def _for_each(reading: Reading, node: Node, path: str, level: int) -> Step:
    keys = reading.mapping(node, path, EACH_KEYS, (), "a step for each item")
    if level >= MOST_LEVELS:
        reading.wrong(
            f"steps for each item stand inside one another at most {MOST_LEVELS} times",
            path,
            node.line,
        )
        return Wait("", "", 0)
    of = reading.tree(keys["for each"], f"{path}.for each")
    if isinstance(of, str):
        reading.wrong(
            f"for each needs a list, such as [=kept.lines]; found {of!r}",
            f"{path}.for each",
            node.line,
        )
    item = reading.text(keys.get("as"), f"{path}.as", "the name of an item") or "item"
    if not is_name(item):
        reading.wrong(
            f"a name begins with a letter and is no reserved word; found {item!r}",
            f"{path}.as",
            node.line,
        )
    if "steps" not in keys:
        reading.wrong("a step for each item needs steps, a list", path, node.line)
    shown = "the list"
    if isinstance(of, Template):
        shown = of.text[2:-1] if of.single is not None else of.text
    key, off = own_keys(reading, keys, path)
    return ForEach(
        f"for each {item} of {shown}",
        key,
        of,
        item,
        _steps(reading, keys.get("steps"), f"{path}.steps", level + 1),
        read_condition(reading, keys.get("only if"), f"{path}.only if"),
        off,
        Place(path, node.line),
    )


def _set(reading: Reading, node: Node, path: str, level: int) -> Step:
    keys = reading.mapping(node, path, ("set", "key", "only if", "write", "off"), (), "a set step")
    values = named_values(reading, keys["set"], f"{path}.set")
    compiled = tuple((name, compile_tree_quietly(value)) for name, value in values.values.items())
    if values.secret:
        reading.wrong("a set step cannot hold a secret; a file never does", path, node.line)
    name = f"set {listed(values.values, 3)}"
    only_if = read_condition(reading, keys.get("only if"), f"{path}.only if")
    write = read_write(reading, keys.get("write"), f"{path}.write")
    key, off = own_keys(reading, keys, path)
    return SetValues(name, key, compiled, only_if, write, off, Place(path, node.line))


def compile_tree_quietly(value: Any) -> Any:
    """A tree whose faults were reported already when it was read."""
    try:
        return compile_tree(value)
    except Unreadable:
        return None


def _wait(reading: Reading, node: Node, path: str, level: int) -> Step:
    keys = reading.mapping(node, path, ("wait", "key", "only if", "off"), (), "a wait step")
    us = reading.measure(keys["wait"], f"{path}.wait", measures.duration) or 0
    name = f"wait {measures.show_duration(us)}"
    only_if = read_condition(reading, keys.get("only if"), f"{path}.only if")
    key, off = own_keys(reading, keys, path)
    return Wait(name, key, us, only_if, off, Place(path, node.line))


def own_keys(reading: Reading, keys: dict[str, Node], path: str) -> tuple[str, bool]:
    """A step's key, and whether it is switched off."""
    key = _key(reading, keys.get("key"), f"{path}.key", _STEP_KEY, "six letters or digits")
    return key, reading.flag(keys.get("off"), f"{path}.off", "off")


STEP_READERS: dict[str, Callable[[Reading, Node, str, int], Step]] = {
    "request": _request,
    "look up": _look_up,
    "set": _set,
    "wait": _wait,
    "shared": _use,
    "for each": _for_each,
}
"""Kinds of steps by the key that says them: from the reading, the step's mapping, its place and how
deep it stands inside others."""
