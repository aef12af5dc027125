"""A folder and a project held against each other, three ways: with what both were when they were
last the same. What was changed on one side is changed on the other; what was changed on both is put
together where that can be done place by place, and is a conflict where it cannot, which is left
alone on both sides.

Things are known again by what does not change when they are renamed or moved: cases and steps by
their keys, environments and shared steps by their names, watches by their files' names, suites by
their folders, files by their paths.
"""

from __future__ import annotations

import hashlib
from collections.abc import Iterable, Mapping, Sequence
from typing import Any, Literal, get_args

from msgspec import Struct, field
from msgspec.structs import replace

from saltpath.core.format.folder import Entry, Folder
from saltpath.core.values import plain

Kind = Literal["project", "environment", "suite", "shared", "case", "watch", "order", "file"]
Id = tuple[Kind, str]
KINDS: tuple[Kind, ...] = get_args(Kind)
NOTHING: Any = object()
"""What stands where nothing does."""


class Item(Struct, frozen=True):
    """One thing of a project."""

    kind: Kind
    id: str
    name: str
    """As people know it."""
    path: str = ""
    """Of a case: where its file stands."""
    document: Any = None
    """Of a file: its digest; of an order: the ids of the cases."""
    comments: Any = None

    def same(self, other: Item) -> bool:
        return (
            self.path == other.path
            and plain.same(self.document, other.document)
            and (self.comments or {}) == (other.comments or {})
        )


Items = dict[Id, Item]


class Change(Struct, frozen=True):
    """What becomes of one item. None: it is not there."""

    id: Id
    base: Item | None
    folder: Item | None
    project: Item | None
    wanted: Item | None
    """What both are to be; of a conflict nothing is done."""
    conflict: tuple[str, ...] = ()
    """The places that were changed otherwise on both sides."""

    @property
    def shown(self) -> Item:
        """One of them that is there."""
        found = self.wanted or self.folder or self.project or self.base
        assert found is not None
        return found

    @property
    def to_folder(self) -> bool:
        return not self.conflict and not _alike(self.folder, self.wanted)

    @property
    def to_project(self) -> bool:
        return not self.conflict and not _alike(self.project, self.wanted)


class Plan(Struct, frozen=True):
    """What is to be done, and what both sides have in common then."""

    changes: list[Change]
    """Those that do something, and conflicts."""
    base: Items = field(default_factory=dict)

    @property
    def conflicts(self) -> list[Change]:
        return [change for change in self.changes if change.conflict]


def items_of(folder: Folder) -> Items:
    """Everything of a project, each thing by itself. A case that has no key, or one that another
    case has before it, is known by its path."""
    found: Items = {}

    def add(item: Item) -> None:
        found[item.kind, item.id] = item

    def entry(kind: Kind, id: str, name: str, of: Entry, path: str = "") -> None:
        add(Item(kind, id, name, path, of.document, of.comments))

    entry("project", "", str(folder.project.document.get("project", "")), folder.project)
    for name, one in folder.environments.items():
        entry("environment", name, name, one)
    for place, one in folder.suites.items():
        document = {key: value for key, value in one.document.items() if key != "order"}
        entry("suite", place, str(document.get("suite", place)), Entry(document, one.comments))
    for name, one in folder.shared.items():
        entry("shared", name, str(one.document.get("shared", name)), one)
    for name, one in folder.watches.items():
        entry("watch", name, str(one.document.get("watch", name)), one)
    ids: dict[str, str] = {}
    for path, one in folder.cases.items():
        key = str(one.document.get("key", ""))
        if not key or ("case", key) in found:
            key = path
        ids[path] = key
        entry("case", key, str(one.document.get("case", path)), one, path)
    for place, one in folder.suites.items():
        order = [ids[path] for path in folder.cases_of(place)]
        add(Item("order", place, f"the order of {one.document.get('suite', place)}", "", order))
    for path, octets in folder.files.items():
        add(Item("file", path, path, "", digest(octets)))
    return found


def with_keys(base: Items, now: Items) -> Items:
    """What both sides have in common, once cases that were known by their paths, and watches, have
    got keys in the project, as it is `now`."""
    keys = {
        item.path: item
        for item in now.values()
        if item.kind == "case" and ("case", item.path) in base
    }
    found: Items = {}
    for id, item in base.items():
        if id[0] == "case" and id[1] in keys:
            item = keys[id[1]]
        elif id[0] == "watch" and "key" not in item.document and id in now:
            item = replace(item, document={**item.document, "key": now[id].document["key"]})
        elif id[0] == "order":
            order = [keys[one].id if one in keys else one for one in item.document]
            item = replace(item, document=order)
        found[item.kind, item.id] = item
    return found


def digest(octets: bytes) -> str:
    return hashlib.blake2b(octets, digest_size=20).hexdigest()


def plan(base: Items, folder: Items, project: Items, take: str = "") -> Plan:
    """What makes both sides the same. `take`: the side (`folder` or `project`) whose version stands
    where there is a conflict; empty: none does."""
    changes, held = list[Change](), Items()
    ids = sorted({*base, *folder, *project}, key=lambda id: (KINDS.index(id[0]), id[1]))
    for id in ids:
        if id[0] == "order":
            continue
        change = _change(id, base.get(id), folder.get(id), project.get(id), take)
        _note(change, changes, held)
    for id in ids:
        if id[0] == "order" and ("suite", id[1]) in held:
            _note(_order(id, base, folder, project, held, take), changes, held)
    return Plan(changes, held)


def _note(change: Change, changes: list[Change], held: Items) -> None:
    if change.conflict:
        if change.base is not None:
            held[change.id] = change.base
        changes.append(change)
        return
    if change.wanted is not None:
        held[change.id] = change.wanted
    if change.to_folder or change.to_project:
        changes.append(change)


def _change(
    id: Id, base: Item | None, folder: Item | None, project: Item | None, take: str
) -> Change:
    if _alike(folder, project):
        return Change(id, base, folder, project, folder)
    if _alike(folder, base):
        return Change(id, base, folder, project, project)
    if _alike(project, base):
        return Change(id, base, folder, project, folder)
    if folder is None or project is None:
        gone = "the folder" if folder is None else "the project"
        conflict = [f"taken away in {gone}, changed in the other"]
        merged = None
    else:
        merged, conflict = _merged_item(base, folder, project)
    if conflict and take:
        return Change(id, base, folder, project, folder if take == "folder" else project)
    return Change(id, base, folder, project, merged, tuple(conflict))


def _merged_item(base: Item | None, folder: Item, project: Item) -> tuple[Item, list[str]]:
    """What came of an item that both have changed, and the places where they clash."""
    clashes: list[str] = []
    before = (base.path, base.document, base.comments) if base else (NOTHING, NOTHING, {})
    path = merge(before[0], folder.path, project.path, "where it stands", clashes)
    document = merge(before[1], folder.document, project.document, "", clashes)
    comments = merge(
        before[2] or {}, folder.comments or {}, project.comments or {}, "its comments", clashes
    )
    if clashes:
        return folder, clashes
    name = project.name if base is None or folder.name == base.name else folder.name
    return replace(folder, path=path, document=document, comments=comments, name=name), []


def merge(base: Any, left: Any, right: Any, place: str, clashes: list[str]) -> Any:
    """Two values that came of one, put together; where both changed the same place otherwise, it is
    named among the clashes."""
    if _equal(left, right) or _equal(right, base):
        return left
    if _equal(left, base):
        return right
    if all(isinstance(one, Mapping) for one in (base, left, right)):
        return _merged_mapping(base, left, right, place, clashes)
    if all(_by_key(one) is not None for one in (base, left, right)):
        return _merged_list(base, left, right, place, clashes)
    clashes.append(place or "all of it")
    return left


def _merged_mapping(
    base: Mapping[str, Any],
    left: Mapping[str, Any],
    right: Mapping[str, Any],
    place: str,
    clashes: list[str],
) -> dict[str, Any]:
    merged: dict[str, Any] = {}
    for name in _together(list(base), list(left), list(right)):
        value = merge(
            base.get(name, NOTHING),
            left.get(name, NOTHING),
            right.get(name, NOTHING),
            f"{place}.{name}" if place else str(name),
            clashes,
        )
        if value is not NOTHING:
            merged[name] = value
    return merged


def _merged_list(base: Any, left: Any, right: Any, place: str, clashes: list[str]) -> list[Any]:
    """Lists whose items have keys, such as steps."""
    was, here, there = (_by_key(one) or {} for one in (base, left, right))
    merged = {}
    for key in {*was, *here, *there}:
        name = next((_called(one[key]) for one in (here, there, was) if key in one), key)
        value = merge(
            was.get(key, NOTHING),
            here.get(key, NOTHING),
            there.get(key, NOTHING),
            f"{place} {name}".strip(),
            clashes,
        )
        if value is not NOTHING:
            merged[key] = value
    order = merged_order(list(was), list(here), list(there))
    if order is None:
        clashes.append(f"the order of {place}")
        return list(left)
    return [merged[key] for key in order if key in merged]


def merged_order(
    base: Sequence[str], left: Sequence[str], right: Sequence[str]
) -> list[str] | None:
    """The order of what either has, each thing once; None where both have put the same things in
    another order."""
    common = set(base) & set(left) & set(right)
    was, here, there = ([one for one in order if one in common] for order in (base, left, right))
    if here != was and there != was and here != there:
        return None
    first, second = (right, left) if here == was else (left, right)
    return _together(first, second)


def _together(first: Iterable[str], *others: Iterable[str]) -> list[str]:
    """All of them, those of the first in its order, others behind what stands before them."""
    order = list(first)
    for other in others:
        before: str | None = None
        for one in other:
            if one not in order:
                order.insert(order.index(before) + 1 if before is not None else 0, one)
            before = one
    return order


def _order(id: Id, base: Items, folder: Items, project: Items, held: Items, take: str) -> Change:
    """The order of a suite's cases, of those that are in it in the end."""
    suite = id[1]
    inside = {
        item.id
        for item in held.values()
        if item.kind == "case" and item.path.rpartition("/")[0] == suite
    }
    sides = [side.get(id) for side in (base, folder, project)]
    lists = [list(side.document) if side else [] for side in sides]
    order = merged_order(*lists)
    clash: tuple[str, ...] = ()
    if order is None:
        order = lists[1] if take == "folder" else lists[2]
        order = _together(order, lists[1], lists[2])
        clash = () if take else ("the order of its cases",)
    order = [one for one in order if one in inside] + sorted(inside - set(order))
    shown = next(side for side in (sides[1], sides[2], sides[0]) if side is not None)
    wanted = replace(shown, document=order)
    return Change(id, sides[0], sides[1], sides[2], wanted, clash)


def _alike(one: Item | None, other: Item | None) -> bool:
    if one is None or other is None:
        return one is other
    return one.same(other)


def _equal(one: Any, other: Any) -> bool:
    if one is NOTHING or other is NOTHING:
        return one is other
    return plain.same(one, other)


def _by_key(value: Any) -> dict[str, Any] | None:
    """The items of a list by their keys; None where it is no list, or not all have one of their
    own."""
    if not isinstance(value, list):
        return None
    found = {item["key"]: item for item in value if isinstance(item, dict) and "key" in item}
    return found if len(found) == len(value) else None


def _called(step: Any) -> str:
    """A step as people know it."""
    name = next((step[kind] for kind in ("request", "shared", "look up") if kind in step), "")
    return f"“{name}”" if name else str(step.get("key", ""))
