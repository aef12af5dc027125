"""The drafts of JSON Schema: which keywords each has, and the documents that describe them."""

from __future__ import annotations

import importlib.util
from collections.abc import Mapping
from functools import cache
from pathlib import Path
from typing import Any

from msgspec import Struct

from saltpath.core.values import plain


class Dialect(Struct, frozen=True):
    """One draft, perhaps without some of its vocabularies."""

    draft: int
    """4, 6, 7, 2019 or 2020."""
    without: frozenset[str] = frozenset()
    """Vocabularies that a schema for schemas leaves out: `validation`, `applicator`, `unevaluated`
    ..."""

    @property
    def id_keyword(self) -> str:
        return "id" if self.draft == 4 else "$id"


_ADDRESSES = {
    "http://json-schema.org/draft-04/schema": 4,
    "http://json-schema.org/draft-06/schema": 6,
    "http://json-schema.org/draft-07/schema": 7,
    "https://json-schema.org/draft/2019-09/schema": 2019,
    "https://json-schema.org/draft/2020-12/schema": 2020,
}
NEWEST = Dialect(2020)


def address_of(dialect: Dialect) -> str:
    """Of the draft's schema for schemas."""
    return next(address for address, draft in _ADDRESSES.items() if draft == dialect.draft)


def dialect_of(address: object, documents: Mapping[str, Any], otherwise: Dialect) -> Dialect:
    """What `$schema` names: a draft, or a schema for schemas among the documents with vocabularies
    of its own."""
    if not isinstance(address, str):
        return otherwise
    plain_address = address.rstrip("#")
    if plain_address in _ADDRESSES:
        return Dialect(_ADDRESSES[plain_address])
    own = documents.get(plain_address)
    if not isinstance(own, dict):
        return otherwise
    draft = dialect_of(own.get("$schema"), {}, otherwise).draft
    named = own.get("$vocabulary")
    if not isinstance(named, dict):
        return Dialect(draft)
    has = {name.rpartition("/")[2] for name in named}
    if draft < 2020 and "applicator" in has:
        has.add("unevaluated")  # a vocabulary of its own since 2020-12
    return Dialect(draft, frozenset({"validation", "applicator", "unevaluated"} - has))


@cache
def metaschemas() -> dict[str, Any]:
    """The schemas for schemas and their parts by address, as the package jsonschema-specifications
    ships them."""
    spec = importlib.util.find_spec("jsonschema_specifications")
    assert spec is not None and spec.submodule_search_locations
    found = {}
    for file in sorted(Path(spec.submodule_search_locations[0]).rglob("schemas/**/*")):
        if not file.is_file():
            continue
        document = plain.read_json(file.read_bytes())
        address = str(document.get("$id") or document.get("id")).rstrip("#")
        found[address] = document
    return found
