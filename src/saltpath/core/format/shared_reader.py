"""What shared steps are given and what they give: inputs with their kinds and defaults, outputs."""

from __future__ import annotations

from typing import Any

from saltpath.core.cases.case import Input, NamedValues
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading, found
from saltpath.core.references.templates import is_name, written_tree
from saltpath.core.values.nearest import listed

INPUT_KEYS = ("kind", "default")
INPUT_KINDS = ("text", "number", "integer", "boolean", "list", "object")


def read_names(reading: Reading, node: Node | None, path: str, what: str) -> list[tuple[str, Node]]:
    """A mapping whose keys are names of values."""
    if node is None:
        return []
    if not isinstance(node.value, dict):
        reading.wrong(f"{what} must be a mapping of names; found {found(node)}", path, node.line)
        return []
    named = []
    for name, child in node.value.items():
        if is_name(name):
            named.append((name, child))
        else:
            line = node.keys.get(name, child.line)
            reading.wrong(
                f"a name begins with a letter and is no reserved word; found {name!r}", path, line
            )
    return named


def read_inputs(reading: Reading, node: Node | None) -> tuple[Input, ...]:
    inputs = []
    for name, child in read_names(reading, node, "inputs", "inputs"):
        path = f"inputs.{name}"
        keys = reading.mapping(child, path, INPUT_KEYS, (), "an input")
        kind = reading.text(keys.get("kind"), f"{path}.kind", "kind")
        if kind and kind not in INPUT_KINDS:
            reading.wrong(
                f"kind is {listed(INPUT_KINDS)}; found {kind!r}", f"{path}.kind", child.line
            )
        default = reading.tree(keys["default"], f"{path}.default") if "default" in keys else ...
        inputs.append(Input(name, kind, default))
    return tuple(inputs)


def read_outputs(reading: Reading, node: Node | None) -> tuple[tuple[str, Any], ...]:
    named = read_names(reading, node, "outputs", "outputs")
    return tuple((name, reading.tree(child, f"outputs.{name}")) for name, child in named)


def defaults_of(inputs: tuple[Input, ...]) -> NamedValues:
    """The defaults as values of a case, so that shared steps can be tried by themselves."""
    return NamedValues(
        {item.name: written_tree(item.default) for item in inputs if item.default is not ...}
    )
