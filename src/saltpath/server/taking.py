"""A request's body as the type that its endpoint takes; what does not fit is answered with the
place and a sentence, the same for every endpoint."""

from __future__ import annotations

from functools import cache
from typing import Any, TypeVar

import msgspec
from flask import request

from saltpath.core.paths.jsonpath import as_path
from saltpath.core.schemas import Schema, compile_schema
from saltpath.core.schemas.faults import Fault
from saltpath.core.values import plain
from saltpath.server.bodies import Body
from saltpath.server.problems import Refused

T = TypeVar("T", bound=Body)
MOST_FAULTS = 20
REF = "#/components/schemas/{name}"


def taken(kind: type[T]) -> T:
    """The request's JSON object as what is taken here, numbers exact. Raises Refused."""
    try:
        data = plain.read_json(request.get_data(cache=False) or b"{}")
    except plain.NotPlain as problem:
        raise Refused(400, "not-json", f"The body is not JSON: {problem}.") from None
    if not isinstance(data, dict):
        raise Refused(400, "not-an-object", "The body must be a JSON object.")
    try:
        return msgspec.convert(data, kind)
    except msgspec.ValidationError:
        raise _refused(kind, data) from None


def shapes_of(kinds: list[type[Body]]) -> dict[str, Any]:
    """These types, and those inside them, as JSON Schema, by their names."""
    _, found = msgspec.json.schema_components(kinds, ref_template=REF)
    for shape in found.values():
        shape.pop("title", None)
    return found


def _refused(kind: type[Body], data: dict[str, Any]) -> Refused:
    faults = _schema(kind).faults(data, MOST_FAULTS)
    if not faults:  # a whole number with a point, which JSON Schema takes for one
        return Refused(422, "not-as-declared", "Write whole numbers without a point.")
    properties = shapes_of([kind])[kind.__name__].get("properties", {})
    hidden = {name for name, shape in properties.items() if shape.get("writeOnly")}
    faults = [_without_value(fault) if hidden & {*fault.place} else fault for fault in faults]
    places = [{"path": as_path(fault.place), "sentence": fault.sentence} for fault in faults]
    return Refused(422, "not-as-declared", _sentence(kind, data, faults[0]), problems=places)


def _without_value(fault: Fault) -> Fault:
    """The fault of what is not told again, also not to whoever has sent it."""
    return Fault(fault.place, fault.keyword, "what was given is not of the kind that is wanted")


def _sentence(kind: type[Body], data: dict[str, Any], fault: Fault) -> str:
    wanted = _described(kind, data, fault)
    if wanted:
        return f"Give {wanted}."
    is_own_name = fault.keyword == "additionalProperties" and len(fault.place) == 1
    where = "" if is_own_name else as_path(fault.place)[2:]
    sentence = f"{where}: {fault.sentence}" if where else fault.sentence
    return sentence if sentence.endswith("?") else f"{sentence}."


def _described(kind: type[Body], data: dict[str, Any], fault: Fault) -> str:
    """What is wanted at a place, in words; empty where it is not said."""
    shapes = shapes_of([kind])
    shape: dict[str, Any] = shapes[kind.__name__]
    names = list(fault.place)
    if fault.keyword == "required" and not names:
        names = [name for name in shape["required"] if name not in data][:1]
    found = ""
    for name in names:
        while "$ref" in shape:
            shape = shapes[shape["$ref"].rpartition("/")[2]]
        inside = shape.get("items") if isinstance(name, int) else None
        shape = shape.get("properties", {}).get(name) or inside or {}
        choices = [shape, *shape.get("anyOf", ())]
        found = next((c["description"] for c in choices if "description" in c), found)
    return found


@cache
def _schema(kind: type[Body]) -> Schema:
    shapes = shapes_of([kind])
    schema = {"$ref": REF.format(name=kind.__name__), "components": {"schemas": shapes}}
    return compile_schema(plain.read_json(msgspec.json.encode(schema)))  # limits with points
