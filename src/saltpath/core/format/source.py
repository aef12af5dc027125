"""Text to nodes: YAML 1.2 core or JSON, every node with its line, numbers exact, everything
doubtful refused.

libyaml's parser does the grammar; its events are composed here, without recursion and only so deep,
since its own composer crashes on deep nesting. What a plain scalar means is decided here (so `no`
is text, `010` is ten). What libyaml refuses is read once more by PyYAML's Python composer, whose
sentences are better. A text that begins with `{` or `[` is JSON.
"""

from __future__ import annotations

import re
from bisect import bisect_left, bisect_right
from collections.abc import Iterator
from decimal import Decimal
from typing import Any

import yaml
from yaml.cyaml import CParser  # type: ignore[attr-defined]

from saltpath.core.format.json_source import JsonReader
from saltpath.core.format.nodes import MOST_LEVELS, Node, Source, refuse
from saltpath.core.values.plain import whole_text

MOST_LETTERS = 2_000_000
MOST_READ_TWICE = 200_000
"""Longer texts that are no YAML are told of in libyaml's words."""


def read_source(text: str) -> Source:
    """Read YAML or JSON. Raises FormatError with line, what was found and what to do."""
    if text.startswith("\ufeff"):
        text = text[1:]
    if len(text) > MOST_LETTERS:
        raise refuse(f"this is longer than the {MOST_LETTERS:,} letters that a file may have", 0)
    if text.lstrip()[:1] in ("{", "["):
        return Source(JsonReader(text).read())
    node = _read_yaml(text)
    root = _convert(node, text, 0)
    return Source(root, _comments(text, node, root) if "#" in text else {})


class _Composer(
    yaml.reader.Reader,
    yaml.scanner.Scanner,
    yaml.parser.Parser,
    yaml.composer.Composer,
    yaml.resolver.BaseResolver,
):
    """PyYAML's pure Python composer with no resolver of its own."""

    def __init__(self, text: str) -> None:
        yaml.reader.Reader.__init__(self, text)
        yaml.scanner.Scanner.__init__(self)
        yaml.parser.Parser.__init__(self)
        yaml.composer.Composer.__init__(self)
        yaml.resolver.BaseResolver.__init__(self)

    def compose_node(self, parent: Any, index: Any) -> Any:
        event: Any = self.peek_event()  # type: ignore[no-untyped-call]
        line = event.start_mark.line + 1
        if isinstance(event, yaml.NodeEvent):
            _only_plain(event, line)
        return super().compose_node(parent, index)


def _composed(text: str) -> Any:
    """The tree of YAML nodes, None of an empty text. Raises yaml.YAMLError, FormatError."""
    parser: Any = CParser(text)
    stack: list[Any] = []
    root: Any = None
    while True:
        event: Any = parser.get_event()
        begin, end, line = event.start_mark, event.end_mark, event.start_mark.line + 1
        if isinstance(event, yaml.DocumentStartEvent) and root is not None:
            raise refuse("a second document begins here; a file holds one", line)
        if isinstance(event, yaml.StreamEndEvent):
            return root
        if isinstance(event, yaml.AliasEvent | yaml.NodeEvent):
            _only_plain(event, line)
        if isinstance(event, yaml.CollectionEndEvent):
            node: Any = stack.pop()
            node.end_mark = end
            if isinstance(node, yaml.MappingNode):
                node.value = list(zip(node.value[::2], node.value[1::2], strict=True))
            continue
        if isinstance(event, yaml.ScalarEvent):
            style = event.style if event.style else None
            node = yaml.ScalarNode("", event.value, begin, end, style=style)
        elif isinstance(event, yaml.CollectionStartEvent):
            kind = (
                yaml.SequenceNode
                if isinstance(event, yaml.SequenceStartEvent)
                else yaml.MappingNode
            )
            node = kind("", [], begin, end)
        else:
            continue
        if stack:
            stack[-1].value.append(node)
        else:
            root = node
        if isinstance(event, yaml.CollectionStartEvent):
            stack.append(node)
            if len(stack) > MOST_LEVELS + 1:
                raise refuse(f"nested deeper than {MOST_LEVELS} levels", line)


def _only_plain(event: Any, line: int) -> None:
    """Raises FormatError for what is YAML and not part of the format."""
    if isinstance(event, yaml.AliasEvent):
        raise refuse(
            f"an alias (*{event.anchor}) is not part of the format; write the value out", line
        )
    if event.anchor is not None:
        raise refuse(
            f"an anchor (&{event.anchor}) is not part of the format; write the value out", line
        )
    if getattr(event, "tag", None) is not None:
        raise refuse(f"a tag ({event.tag}) is not part of the format; leave it out", line)


def _read_yaml(text: str) -> Any:
    try:
        try:
            node = _composed(text)
        except (yaml.YAMLError, UnicodeError):
            if len(text) > MOST_READ_TWICE:
                raise
            node = _Composer(text).get_single_node()
    except yaml.MarkedYAMLError as problem:
        mark = problem.problem_mark or problem.context_mark
        line = mark.line + 1 if mark else 0
        raise refuse(
            _yaml_sentence(problem, text, line), line, mark.column + 1 if mark else 0
        ) from None
    except yaml.reader.ReaderError as problem:
        line = text.count("\n", 0, problem.position) + 1
        raise refuse(f"the character {problem.character!r} cannot stand in a file", line) from None
    except UnicodeError:
        raise refuse("half of a character stands in it, which no file can hold", 0) from None
    except RecursionError:
        raise refuse(f"nested deeper than {MOST_LEVELS} levels", _deep_line(text)) from None
    if node is None:
        raise refuse("the file is empty", 1)
    return node


def _yaml_sentence(problem: yaml.MarkedYAMLError, text: str, line: int) -> str:
    lines = text.split("\n")
    here = lines[line - 1] if 0 < line <= len(lines) else ""
    if "another document" in str(problem.problem) or "single document" in str(problem.context):
        return "a second document begins here; a file holds one"
    if "\t" in here[: len(here) - len(here.lstrip())]:
        return "a tab stands at the beginning of the line; use spaces"
    if str(problem.problem).endswith("got '?'"):
        return f"a text with ? inside {{ }} or [ ] must be put in quotes; found: {here.strip()}"
    if "[=" in here or "[?" in here or "$" in here:
        return (
            f"a reference, or a path with brackets, inside {{ }} or [ ] must be put in quotes; "
            f"found: {here.strip()}"
        )
    return f"this is not YAML: {problem.problem or problem.context}"


def _deep_line(text: str) -> int:
    """The line in which the brackets, or the dashes of one line, go too deep; the last one if it
    cannot be told."""
    depth = 0
    for number, line in enumerate(text.split("\n"), 1):
        if line.count("- ") > MOST_LEVELS:
            return number
        for char in line:
            depth += (char in "[{") - (char in "]}")
            if depth > MOST_LEVELS:
                return number
    return text.count("\n") + 1


def _convert(node: Any, text: str, level: int) -> Node:
    line, column = node.start_mark.line + 1, node.start_mark.column + 1
    if level > MOST_LEVELS:
        raise refuse(f"nested deeper than {MOST_LEVELS} levels", line)
    if isinstance(node, yaml.ScalarNode):
        return _scalar(node, text, line, column)
    if isinstance(node, yaml.SequenceNode):
        begin = text[node.start_mark.index : node.start_mark.index + 40]
        if begin[:1] == "[" and begin[1:].lstrip()[:1] in ("=", "?"):
            found = begin.split("\n")[0]
            raise refuse(
                f"a reference that is the whole value must be put in quotes; found {found}",
                line,
                column,
            )
        return Node([_convert(item, text, level + 1) for item in node.value], line, column)
    return _mapping(node, text, line, column, level)


def _mapping(node: Any, text: str, line: int, column: int, level: int) -> Node:
    values: dict[str, Node] = {}
    keys: dict[str, int] = {}
    for key_node, value_node in node.value:
        key_line = key_node.start_mark.line + 1
        if not isinstance(key_node, yaml.ScalarNode):
            raise refuse("a key must be text; a reference must be put in quotes", key_line)
        key = key_node.value
        if key == "<<" and key_node.style is None:
            raise refuse(
                "a merge key (<<) is not part of the format; write the values out", key_line
            )
        if key in values:
            raise refuse(f"the key {key!r} stands twice, first in line {keys[key]}", key_line)
        values[key] = _convert(value_node, text, level + 1)
        keys[key] = key_line
    return Node(values, line, column, keys=keys)


_INTEGER = re.compile(r"[-+]?[0-9]+")
_FLOAT = re.compile(r"[-+]?(\.[0-9]+|[0-9]+(\.[0-9]*)?)([eE][-+]?[0-9]+)?")
_SPECIAL = re.compile(r"[-+]?\.(inf|Inf|INF)|\.(nan|NaN|NAN)")
_COMMENT_AFTER = re.compile(r"[ \t]+#")


def _scalar(node: Any, text: str, line: int, column: int) -> Node:
    value: str = node.value
    if whole_text(value) is not value:
        value = _paired(value)
    if whole_text(value) is not value:
        raise refuse(
            "half of a character (a lone surrogate) stands here, which no file can hold",
            line,
            column,
        )
    if node.style is not None:
        return Node(value, line, column)
    if value[:1] == "=" or (value[:1] == "?" and len(value) > 1):
        raise refuse(f"{value!r} begins with {value[0]}; put it in quotes", line, column)
    if value[:1] == "$" and _COMMENT_AFTER.match(text, node.end_mark.index):
        raise refuse(
            f"what follows # after {value} would be lost; put the whole in quotes", line, column
        )
    return Node(plain_scalar(value, line, column), line, column, plain=True)


def _paired(value: str) -> str:
    """A character that is written as two escapes (`\\ud83d\\ude00`), as JSON has it, is that
    character."""
    try:
        return value.encode("utf-16", "surrogatepass").decode("utf-16")
    except UnicodeDecodeError:
        return value


def plain_scalar(value: str, line: int, column: int) -> Any:
    """YAML 1.2 core schema, less what the format refuses."""
    if value == "":
        raise refuse("a value is missing here; write null, or '' for an empty text", line, column)
    if value in ("null", "Null", "NULL", "~"):
        return None
    if value in ("true", "True", "TRUE"):
        return True
    if value in ("false", "False", "FALSE"):
        return False
    if _SPECIAL.fullmatch(value):
        raise refuse(
            f"{value} is not a number that JSON knows; put it in quotes if it is text", line, column
        )
    if len(value) > 1000:
        return value
    if _INTEGER.fullmatch(value):
        return int(value)
    if value.startswith("0x") and re.fullmatch("0x[0-9a-fA-F]+", value):
        return int(value, 16)
    if value.startswith("0o") and re.fullmatch("0o[0-7]+", value):
        return int(value[2:], 8)
    if _FLOAT.fullmatch(value):
        return Decimal(value)
    return value


def _comments(text: str, node: Any, root: Node) -> dict[str, list[str]]:
    """Comments by the path of the node that begins in their line, or else in the next line in which
    one does; behind the last under the empty path."""
    begins: dict[int, str] = {}

    def walk(node: Node, path: str) -> None:
        if isinstance(node.value, dict):
            for key, child in node.value.items():
                below = f"{path}.{key}" if path else key
                begins.setdefault(node.keys.get(key, child.line), below)
                walk(child, below)
        elif isinstance(node.value, list):
            for index, child in enumerate(node.value):
                begins.setdefault(child.line, f"{path}[{index}]")
                walk(child, f"{path}[{index}]")

    walk(root, "")
    found: dict[str, list[str]] = {}
    waiting: list[str] = []
    owned = sorted(begins)
    for number, comment, is_alone in _comment_texts(text, node):
        here = begins.get(number) if not is_alone else None
        if here is None:
            after = bisect_left(owned, number + (not is_alone))
            here = begins[owned[after]] if after < len(owned) else ""
        if here:
            found.setdefault(here, []).append(comment)
        else:
            waiting.append(comment)
    if waiting:
        found[""] = waiting
    return found


_MAY_BEGIN = re.compile(r"(?:^|(?<=[\s]))#", re.MULTILINE)


def _comment_texts(text: str, node: Any) -> Iterator[tuple[int, str, bool]]:
    """The line, from 1, of each comment, its text, and whether it stands alone there. What stands
    in a scalar is none."""
    spans = sorted(_scalar_spans(text, node))
    starts = [start for start, _ in spans]
    ends = [found.start() for found in re.finditer("\n", text)] + [len(text)]
    ended = 0
    for mark in _MAY_BEGIN.finditer(text):
        at = mark.start()
        place = bisect_right(starts, at) - 1
        if at < ended or (place >= 0 and at < spans[place][1]):
            continue  # within the comment before, or within a scalar
        line = bisect_left(ends, at)
        ended = ends[line]
        begun = ends[line - 1] + 1 if line else 0
        yield line + 1, text[at:ended].rstrip(), not text[begun:at].strip()


def _scalar_spans(text: str, node: Any) -> Iterator[tuple[int, int]]:
    """Where scalars stand in the text; block scalars from the line after their head on, behind
    which a comment may stand."""
    waiting = [node]
    while waiting:
        node = waiting.pop()
        if isinstance(node, yaml.MappingNode):
            waiting += [part for pair in node.value for part in pair]
        elif isinstance(node, yaml.SequenceNode):
            waiting += node.value
        else:
            start = node.start_mark.index
            is_block = node.style in ("|", ">")
            yield (text.find("\n", start) if is_block else start), node.end_mark.index
