"""Schemas compiled, with all that they refer to, into nodes; each schema once for each dynamic
scope that it can be reached in."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from itertools import islice
from typing import Any

from msgspec import Struct

from saltpath.core.schemas.dialects import NEWEST, Dialect, metaschemas
from saltpath.core.schemas.documents import Documents, Located, Resource, Unusable
from saltpath.core.schemas.faults import Fault
from saltpath.core.schemas.keywords import KEYWORDS
from saltpath.core.schemas.nodes import ANY, NOTHING, Node
from saltpath.core.values import plain
from saltpath.core.values.text_formats import FORMATS

ALL_FORMATS = frozenset(FORMATS)
Scope = frozenset[tuple[str, Resource]]
"""By dynamic anchor the outermost resource entered that has it, which is the one that is meant; by
`_RECURSIVE` that with `$recursiveAnchor`."""
_RECURSIVE = "$recursiveAnchor"


class Schema(Struct, frozen=True):
    """A schema, ready to be held against values. Both ways raise Unusable where it shows only now
    that the schema cannot be used."""

    _node: Node

    def holds(self, value: Any) -> bool:
        try:
            return self._node.holds(value)
        except RecursionError:
            raise _endless() from None

    def faults(self, value: Any, most: int) -> list[Fault]:
        """Where the value does not follow it; empty if it does."""
        try:
            return list(islice(self._node.faults(value), most))
        except RecursionError:
            raise _endless() from None


def compile_schema(
    document: Any,
    *,
    others: Mapping[str, Any] | None = None,
    dialect: Dialect = NEWEST,
    formats: frozenset[str] = ALL_FORMATS,
) -> Schema:
    """`others`: documents by address that it may refer to, beside the schemas for schemas.
    `dialect`: of a document without `$schema`. `formats`: those of which `format` asks anything.
    Raises Unusable."""
    known = {**metaschemas(), **others} if others else metaschemas()
    compiler = Compiler(Documents(known, dialect), formats)
    try:
        return Schema(compiler.root(document))
    except RecursionError:
        raise Unusable("it is nested too deeply") from None


class Compiler:
    def __init__(self, documents: Documents, formats: frozenset[str]) -> None:
        self.documents = documents
        self.formats = formats
        self._nodes: dict[tuple[int, Resource, Scope], Node] = {}

    def root(self, document: Any) -> Node:
        return self.node(Located(document, self.documents.add("", document)), frozenset())

    def node(self, at: Located, scope: Scope) -> Node:
        schema = at.schema
        if schema is True or schema is False:
            return ANY if schema else NOTHING
        if not isinstance(schema, dict):
            raise Unusable(f"{plain.show(schema, 60)} is no schema")
        resource = self.documents.resource_of(schema, at.resource)
        if resource.dynamic or resource.recursive:
            scope = _entered(resource, scope)
        key = (id(schema), resource, scope)
        node = self._nodes.get(key)
        if node is None:
            node = self._nodes[key] = Node()
            node.become(self._tests(Context(self, schema, resource, scope, node)))
        return node

    def _tests(self, context: Context) -> Iterator[Any]:
        schema, dialect = context.schema, context.resource.dialect
        alone = dialect.draft < 2019 and "$ref" in schema
        for name, keyword in KEYWORDS.items():
            if name not in schema or (alone and name != "$ref") or not keyword.stands_in(dialect):
                continue
            try:
                test = keyword.make(schema[name], context)
            except (TypeError, ValueError, AttributeError, ArithmeticError) as problem:
                if isinstance(problem, Unusable):
                    raise
                raise Unusable(f"{name} cannot be {plain.show(schema[name], 60)}") from None
            if test is not None:
                yield test


class Context(Struct, frozen=True):
    """Where a keyword stands."""

    compiler: Compiler
    schema: dict[str, Any]
    resource: Resource
    scope: Scope
    this: Node
    """What is being compiled; it has no tests yet."""

    @property
    def draft(self) -> int:
        return self.resource.dialect.draft

    @property
    def formats(self) -> frozenset[str]:
        return self.compiler.formats

    def node(self, schema: Any) -> Node:
        """Of a schema within this one."""
        return self.compiler.node(Located(schema, self.resource), self.scope)

    def nodes(self, schemas: Any) -> list[Node]:
        if not isinstance(schemas, list):
            raise TypeError
        return [self.node(schema) for schema in schemas]

    def named(self, schemas: Any) -> dict[str, Node]:
        if not isinstance(schemas, dict):
            raise TypeError
        return {name: self.node(schema) for name, schema in schemas.items()}

    def referred(self, reference: str) -> Node:
        return self.compiler.node(
            self.compiler.documents.resolve(reference, self.resource), self.scope
        )

    def dynamically(self, reference: str) -> Node:
        """By `$dynamicRef`: the outermost schema with that dynamic anchor, if the reference leads
        to one at all."""
        found = self.compiler.documents.resolve(reference, self.resource)
        name = reference.partition("#")[2]
        if name and found.resource.dynamic.get(name) is found.schema:
            outer = dict(self.scope).get(name, found.resource)
            found = Located(outer.dynamic[name], outer)
        return self.compiler.node(found, self.scope)

    def recursively(self, reference: str) -> Node:
        """By `$recursiveRef` (2019-09)."""
        found = self.compiler.documents.resolve(reference, self.resource)
        if found.resource.recursive and found.schema is found.resource.root:
            outer = dict(self.scope).get(_RECURSIVE, found.resource)
            found = Located(outer.root, outer)
        return self.compiler.node(found, self.scope)


def _entered(resource: Resource, scope: Scope) -> Scope:
    names = [*resource.dynamic, _RECURSIVE] if resource.recursive else list(resource.dynamic)
    known = dict(scope)
    new = [(name, resource) for name in names if name not in known]
    return scope.union(new) if new else scope


def _endless() -> Unusable:
    return Unusable("it refers to itself without end, or the value is nested too deeply")
