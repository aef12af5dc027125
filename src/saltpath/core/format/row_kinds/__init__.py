"""Where rows come from, as a case's `rows` and a project's `sources` say it: a module for each
sort, an entry for each kind."""

from __future__ import annotations

from saltpath.core.cases.row_sources import NamedRows, Source
from saltpath.core.format.nodes import Node
from saltpath.core.format.reading import Reading
from saltpath.core.format.row_kinds import elsewhere as _elsewhere  # noqa: F401  its entries
from saltpath.core.format.row_kinds import files, made
from saltpath.core.format.row_kinds.files import is_path
from saltpath.core.format.row_kinds.kind import BY_KEY, BY_KIND, Given, Keys, RowKind
from saltpath.core.values.grammar import Unreadable
from saltpath.core.values.nearest import listed

__all__ = ["BY_KEY", "BY_KIND", "Given", "RowKind", "is_path", "read_rows"]
_ORDER = ("source", "file", "make", "combine", "items of", "output table", "rows", "in")
"""In which the kinds are listed; others come behind."""


def read_rows(
    reading: Reading, node: Node | None, path: str = "rows", named: bool = True
) -> Source | None:
    """A case's rows: the name of a source or a file, rows written out, or a mapping. Of a project's
    source (`named` False) the name of another is none."""
    if node is None:
        return None
    if isinstance(node.value, list):
        return made.written(reading, node, path, "")
    if isinstance(node.value, str):
        name = reading.text(node, f"{path}.source", "the name of a source")
        source: Source | None = files.by_name(reading, name, Keys(node, {}, path, ""))
    else:
        source = _of_mapping(reading, node, path)
    if source is None or named or source.kind != NamedRows.kind:
        return source
    reading.wrong(
        f"a source is a file or rows of its own; found the name {source.title()!r}",
        path,
        node.line,
    )
    return None


def _of_mapping(reading: Reading, node: Node, path: str) -> Source | None:
    order = sorted(BY_KEY, key=lambda key: _ORDER.index(key) if key in _ORDER else len(_ORDER))
    allowed = dict.fromkeys(name for key in order for name in (key, *BY_KEY[key].keys))
    keys = reading.mapping(node, path, (*allowed, "pick"), (), "rows")
    kinds = [key for key in order if key in keys]
    if len(kinds) != 1:
        said = listed(kinds) if kinds else "none of them"
        reading.wrong(f"rows come from one of {listed(order)}; found {said}", path, node.line)
        return None
    kind = BY_KEY[kinds[0]]
    pick = _pick(reading, keys.get("pick"), f"{path}.pick")
    for name, child in keys.items():
        if name not in (kind.key, "pick", *kind.keys):
            reading.wrong(f"{name!r} has no meaning for rows with {kind.key!r}", path, child.line)
    return kind.read(reading, Keys(node, keys, path, pick))


def _pick(reading: Reading, node: Node | None, path: str) -> str:
    from saltpath.core.format.picking import read_picks

    text = reading.text(node, path, "pick")
    try:
        read_picks(text)
    except Unreadable as problem:
        assert node is not None
        reading.wrong(str(problem), path, node.line)
    return text
