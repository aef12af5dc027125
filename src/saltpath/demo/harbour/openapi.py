"""The harbour's own description, OpenAPI 3.1."""

from __future__ import annotations

from typing import Any

_PAGE = [
    {"name": "page", "in": "query", "schema": {"type": "integer", "minimum": 1, "default": 1}},
    {
        "name": "size",
        "in": "query",
        "schema": {"type": "integer", "minimum": 1, "maximum": 100, "default": 20},
    },
    {
        "name": "sort",
        "in": "query",
        "schema": {"type": "string"},
        "description": "a field; -field turns it round",
    },
]
_ID = [{"name": "id", "in": "path", "required": True, "schema": {"type": "string"}}]


def _ref(name: str) -> dict[str, Any]:
    return {"$ref": f"#/components/schemas/{name}"}


def _json(schema: dict[str, Any]) -> dict[str, Any]:
    return {"content": {"application/json": {"schema": schema}}}


def _list(name: str) -> dict[str, Any]:
    whole = {"type": "integer", "minimum": 0}
    items = {"type": "array", "items": _ref(name)}
    return {
        "type": "object",
        "required": ["items", "page", "size", "total"],
        "properties": {"items": items, "page": whole, "size": whole, "total": whole},
    }


def _operation(
    name: str,
    about: str,
    ok: dict[str, Any],
    refusals: tuple[int, ...] = (),
    signed: bool = False,
    **more: Any,
) -> dict[str, Any]:
    problem = {"content": {"application/problem+json": {"schema": _ref("Problem")}}}
    refused = {
        str(status): {"description": "refused, with the reason", **problem} for status in refusals
    }
    security: dict[str, Any] = {"security": [{"token": []}]} if signed else {}
    return {
        "operationId": name,
        "summary": about,
        "responses": {**ok, **refused},
        **security,
        **more,
    }


def _ok(schema: dict[str, Any], status: int = 200, about: str = "as asked") -> dict[str, Any]:
    return {str(status): {"description": about, **_json(schema)}}


_GONE = {"204": {"description": "done, nothing to say"}}


def document(base: str) -> dict[str, Any]:
    """The whole document; `base` is the address that it names as its server."""
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Fernholm Harbour",
            "version": "3.3.0",
            "description": "A made-up port authority.",
        },
        "servers": [{"url": base}],
        "paths": _paths(),
        "components": {
            "schemas": _schemas(),
            "securitySchemes": {"token": {"type": "http", "scheme": "bearer"}},
        },
    }


def _paths() -> dict[str, Any]:
    call_id: dict[str, Any] = {"parameters": _ID}
    return {
        "/sessions": {
            "post": _operation(
                "signIn",
                "Sign in",
                _ok(_ref("Session"), 201),
                (401, 422),
                requestBody=_json(_ref("SignIn")),
            )
        },
        "/vessels": {
            "get": _operation(
                "listVessels",
                "Vessels in the register",
                _ok(_list("Vessel")),
                (400,),
                parameters=[
                    *_PAGE,
                    {"name": "homePort", "in": "query", "schema": {"type": "string"}},
                    {"name": "minLength", "in": "query", "schema": {"type": "number"}},
                ],
            ),
            "post": _operation(
                "createVessel",
                "Register a vessel",
                _ok(_ref("Vessel"), 201),
                (401, 409, 422),
                True,
                requestBody=_json(_ref("NewVessel")),
            ),
        },
        "/vessels/{id}": {
            "get": _operation("readVessel", "One vessel", _ok(_ref("Vessel")), (404,), **call_id),
            "delete": _operation(
                "removeVessel", "Strike a vessel off", _GONE, (401, 404), True, **call_id
            ),
        },
        "/berths": {
            "get": _operation(
                "listBerths",
                "Berths",
                _ok(_list("Berth")),
                (400,),
                parameters=[*_PAGE, {"name": "state", "in": "query", "schema": {"type": "string"}}],
            )
        },
        "/berths/{id}": {
            "get": _operation("readBerth", "One berth", _ok(_ref("Berth")), (404,), **call_id)
        },
        "/port-calls": {
            "get": _operation(
                "listPortCalls",
                "Port calls",
                _ok(_list("PortCall")),
                (400, 401),
                True,
                parameters=[*_PAGE, {"name": "state", "in": "query", "schema": {"type": "string"}}],
            ),
            "post": _operation(
                "createPortCall",
                "Ask for a berth",
                _ok(_ref("PortCall"), 201),
                (401, 422),
                True,
                requestBody=_json(_ref("NewPortCall")),
            ),
        },
        "/port-calls/{id}": {
            "get": _operation(
                "readPortCall", "One port call", _ok(_ref("PortCall")), (401, 404), True, **call_id
            ),
            "delete": _operation("cancelPortCall", "Cancel", _GONE, (401, 404), True, **call_id),
        },
        "/port-calls/{id}/confirmation": {
            "put": _operation(
                "confirmPortCall",
                "Confirm a quoted one",
                _ok(_ref("PortCall")),
                (401, 404, 409),
                True,
                **call_id,
            )
        },
        "/port-calls/{id}/departure": {
            "put": _operation(
                "departPortCall", "Depart", _ok(_ref("PortCall")), (401, 404, 409), True, **call_id
            )
        },
        "/fee-quotes": {
            "post": _operation(
                "quoteFee",
                "What a stay costs",
                _ok(_ref("Fee")),
                (422,),
                requestBody=_json(_ref("FeeQuestion")),
            )
        },
        "/pilots": {
            "get": _operation("listPilots", "Pilots", _ok(_list("Pilot")), (400,), parameters=_PAGE)
        },
        "/tide-windows": {
            "get": _operation(
                "tideWindows",
                "Tides of a day",
                _ok({"type": "object"}),
                (400,),
                parameters=[
                    {
                        "name": "date",
                        "in": "query",
                        "required": True,
                        "schema": {"type": "string", "format": "date"},
                    }
                ],
            )
        },
    }


def _object(required: list[str], **properties: Any) -> dict[str, Any]:
    return {"type": "object", "required": required, "properties": properties}


def _schemas() -> dict[str, Any]:
    text, number, whole = {"type": "string"}, {"type": "number"}, {"type": "integer"}
    moment = {"type": "string", "format": "date-time"}
    states = {"type": "string", "enum": ["requested", "quoted", "confirmed", "departed"]}
    seasons = {"type": "string", "enum": ["summer", "winter", "between"]}
    nights = {"type": "integer", "minimum": 1, "maximum": 60}
    line = _object(["code", "text", "amount"], code=text, text=text, amount=number)
    berth = _object(["id", "name", "metres"], id=text, name=text, metres=whole)
    return {
        "Problem": _object(["title", "status"], title=text, status=whole, field=text),
        "SignIn": _object(["user", "password"], user=text, password=text),
        "Session": _object(
            ["token", "agent", "expiresAt"],
            token=text,
            agent=text,
            expiresIn=whole,
            expiresAt=moment,
        ),
        "NewVessel": _object(
            ["name", "lengthMetres"], name=text, lengthMetres=number, tonnage=number, homePort=text
        ),
        "Vessel": _object(
            ["id", "name", "lengthMetres"],
            id=text,
            name=text,
            lengthMetres=number,
            tonnage=number,
            homePort=text,
            callSign=text,
            registerNumber=whole,
        ),
        "Berth": _object(
            ["id", "name", "metres", "state"],
            id=text,
            name=text,
            metres=whole,
            depth=number,
            state=text,
        ),
        "NewPortCall": _object(
            ["vessel"], vessel=text, lengthMetres=number, eta=moment, nights=nights, season=seasons
        ),
        "PortCall": _object(
            ["id", "vessel", "state", "berth", "fee"],
            id=text,
            vessel=text,
            state=states,
            eta=moment,
            berth=berth,
            fee=_ref("Fee"),
            pilots={"type": "array", "items": text},
            remark={"type": ["string", "null"]},
        ),
        "FeeQuestion": _object(
            ["lengthMetres", "tonnage"],
            lengthMetres=number,
            tonnage=number,
            nights=nights,
            season=seasons,
        ),
        "Fee": _object(
            ["lines", "total", "currency"],
            lines={"type": "array", "items": line},
            total=number,
            currency=text,
            season=seasons,
            nights=nights,
        ),
        "Pilot": _object(["id", "name", "licence"], id=text, name=text, licence=whole),
    }
