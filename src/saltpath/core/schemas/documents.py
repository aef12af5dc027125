"""Schema documents by their addresses, and what references in them lead to (RFC 3986, RFC 6901).
Nothing is fetched."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import unquote, urldefrag, urljoin

from msgspec import Struct, field

from saltpath.core.schemas.dialects import Dialect, dialect_of
from saltpath.core.values import plain
from saltpath.core.values.errors import SaltPathError


class Unusable(SaltPathError, ValueError):
    """The schema refers to what is not there, or something in it cannot be used; says what."""

    code = "no-schema"


class Resource(Struct, eq=False):
    """A document, or a part of one with an address of its own."""

    address: str
    root: Any
    dialect: Dialect
    anchors: dict[str, Any] = field(default_factory=dict)
    """Schemas by `$anchor`, or by an id that is a fragment alone."""
    dynamic: dict[str, Any] = field(default_factory=dict)
    """Schemas by `$dynamicAnchor`."""
    recursive: bool = False
    """Whether its root says `$recursiveAnchor: true`."""


class Located(Struct, frozen=True):
    """A schema and the resource that it stands in."""

    schema: Any
    resource: Resource


_ONE = frozenset(
    (
        "additionalItems",
        "additionalProperties",
        "contains",
        "contentSchema",
        "else",
        "if",
        "items",
        "not",
        "propertyNames",
        "then",
        "unevaluatedItems",
        "unevaluatedProperties",
    )
)
_LIST = frozenset(("allOf", "anyOf", "items", "oneOf", "prefixItems"))
_MAP = frozenset(
    ("$defs", "definitions", "dependencies", "dependentSchemas", "patternProperties", "properties")
)
_PLAIN_NAME = "#"


class Documents:
    """What can be referred to: documents that are handed in, and their parts with addresses of
    their own."""

    def __init__(self, others: Mapping[str, Any], dialect: Dialect) -> None:
        self._others = others
        self._dialect = dialect
        self._resources: dict[str, Resource] = {}
        self._of: dict[int, Resource] = {}
        """By the id of a schema's object, the resource it stands in. Documents are held, so ids
        stay theirs."""

    def add(self, address: str, document: Any) -> Resource:
        """Take a document in under the address where it was found, and under the one it gives
        itself."""
        dialect = self._dialect
        if isinstance(document, dict):
            dialect = dialect_of(document.get("$schema"), self._others, dialect)
        resource = self._resources[address] = Resource(address, document, dialect)
        self._walk(document, resource)
        return self._of.get(id(document), resource)

    def resource_of(self, schema: Any, otherwise: Resource) -> Resource:
        return self._of.get(id(schema), otherwise)

    def resolve(self, reference: str, resource: Resource) -> Located:
        """What a reference leads to. Raises Unusable where nothing is."""
        address, fragment = urldefrag(_joined(resource.address, reference))
        target = resource if address == resource.address else self._resource(address, reference)
        fragment = unquote(fragment)
        if not fragment:
            return Located(target.root, target)
        if not fragment.startswith("/"):
            found = target.anchors.get(fragment)
            if found is None:
                raise _missing(reference)
            return Located(found, self.resource_of(found, target))
        return self._by_pointer(fragment, target, reference)

    def _resource(self, address: str, reference: str) -> Resource:
        if address not in self._resources:
            if address not in self._others:
                raise _missing(reference)
            self.add(address, self._others[address])
        return self._resources[address]

    def _by_pointer(self, pointer: str, resource: Resource, reference: str) -> Located:
        at = resource.root
        for part in pointer[1:].split("/"):
            part = part.replace("~1", "/").replace("~0", "~")
            if isinstance(at, dict) and part in at:
                at = at[part]
            elif isinstance(at, list) and part.isascii() and part.isdigit() and int(part) < len(at):
                at = at[int(part)]
            else:
                raise _missing(reference)
            resource = self.resource_of(at, resource)
        if isinstance(at, dict) and id(at) not in self._of:
            self._walk(at, resource)  # it stands where no keyword is
        return Located(at, self.resource_of(at, resource))

    def _walk(self, document: Any, resource: Resource) -> None:
        """Note for each schema below a keyword which resource it stands in; those with an address
        begin one."""
        waiting = [(document, resource)]
        while waiting:
            schema, resource = waiting.pop()
            if not isinstance(schema, dict) or id(schema) in self._of:
                continue
            resource = self._begun(schema, resource)
            self._of[id(schema)] = resource
            for keyword, value in schema.items():
                if keyword in _ONE and isinstance(value, dict):
                    waiting.append((value, resource))
                if keyword in _LIST and isinstance(value, list):
                    waiting.extend((part, resource) for part in value)
                if keyword in _MAP and isinstance(value, dict):
                    waiting.extend((part, resource) for part in value.values())

    def _begun(self, schema: dict[str, Any], resource: Resource) -> Resource:
        """The resource that a schema stands in: its own where it has an address."""
        dialect = resource.dialect
        if "$schema" in schema:
            dialect = dialect_of(schema["$schema"], self._others, dialect)
        given = schema.get(dialect.id_keyword)
        if isinstance(given, str) and not (dialect.draft < 2019 and "$ref" in schema):
            address, fragment = urldefrag(_joined(resource.address, given))
            if address != resource.address or not given.startswith(_PLAIN_NAME):
                resource = self._resources[address] = Resource(address, schema, dialect)
            if fragment and dialect.draft < 2019:
                resource.anchors[fragment] = schema
        if dialect.draft >= 2019:
            for keyword in ("$anchor", "$dynamicAnchor"):
                if isinstance(schema.get(keyword), str):
                    resource.anchors[schema[keyword]] = schema
            if isinstance(schema.get("$dynamicAnchor"), str):
                resource.dynamic[schema["$dynamicAnchor"]] = schema
            if schema is resource.root and schema.get("$recursiveAnchor") is True:
                resource.recursive = True
        return resource


def _joined(base: str, reference: str) -> str:
    if reference.startswith("#"):
        return base + reference
    try:
        return urljoin(base, reference) if not reference.startswith("urn:") else reference
    except ValueError:
        raise Unusable(f"{plain.show(reference, 60)} is no address") from None


def _missing(reference: str) -> Unusable:
    return Unusable(
        f"it refers to {plain.cut(reference, 200)}, which is not there; nothing is fetched"
    )
