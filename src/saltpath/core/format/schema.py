"""JSON Schemas (2020-12) of the files and of the report. `make schemas` writes them to src/saltpath/schemas.

A test holds the keys here against those that the reader knows, and the shipped files against this module.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from saltpath.core.checks.relations import TABLE, VALUE_KINDS

DIALECT = "https://json-schema.org/draft/2020-12/schema"
TEXT: dict[str, Any] = {"type": "string", "minLength": 1}
FLAG: dict[str, Any] = {"type": "boolean"}
SCALAR: dict[str, Any] = {"type": ["string", "number", "boolean"]}
DURATION: dict[str, Any] = {"type": "string", "pattern": r"^\s*\d+(\.\d+)?\s*(us|ms|s|min|h|day|days)\s*$"}
SIZE: dict[str, Any] = {"type": "string", "pattern": r"^\s*\d+(\.\d+)?\s*(B|kB|MB|GB)\s*$"}
VERDICT: dict[str, Any] = {"enum": ["passed", "failed", "blocked", "skipped", "unchecked"]}
NAMES = {"pattern": r"^[^\W\d_][\w-]*$"}


def _object(required: tuple[str, ...], properties: dict[str, Any], open: bool = False) -> dict[str, Any]:
    return {"type": "object", "required": list(required), "properties": properties, "additionalProperties": open}


def _list(items: dict[str, Any]) -> dict[str, Any]:
    return {"type": "array", "items": items}


SECRET = _object(("secret",), {"secret": FLAG})
VALUES = {
    "type": "object",
    "propertyNames": NAMES,
    "additionalProperties": {"anyOf": [SECRET, {"not": {"type": "object", "required": ["secret"]}}]},
}
OPTIONS = _object(
    (),
    {"timeout": DURATION, "follow redirects": FLAG, "verify tls": FLAG, "largest body": SIZE},
)
PAIRS = {
    "oneOf": [
        {"type": "object", "additionalProperties": SCALAR},
        _list({"type": "array", "prefixItems": [TEXT, SCALAR], "minItems": 2, "maxItems": 2}),
    ]
}
_EXPECTED: dict[str, Any] = {
    "value": {},
    "list": {"type": ["array", "string"]},
    "measure": {"type": ["number", "string"]},
    "pair": {"type": ["array", "string"], "minItems": 2, "maxItems": 2},
    "pattern": {"type": "string"},
    "boolean": {"type": ["boolean", "string"]},
    "true": {"const": True},
    "kind": {"enum": list(VALUE_KINDS)},
    "count": {"type": ["integer", "object", "string"]},
}


def _check() -> dict[str, Any]:
    relations = {relation.name: _EXPECTED[relation.takes] for relation in TABLE.values()}
    check = _object(("of",), {"of": TEXT, "any": FLAG, "advice": FLAG, "note": TEXT, "off": FLAG, **relations})
    check["minProperties"] = 2
    check["oneOf"] = [{"required": [name]} for name in relations]
    return check


def _request() -> dict[str, Any]:
    auth = _object((), {"bearer": SCALAR, "basic": {"type": "array", "items": SCALAR, "minItems": 2, "maxItems": 2}})
    keep = {"anyOf": [TEXT, _object(("of",), {"of": TEXT, "secret": FLAG})]}
    return _object(
        ("request", "send"),
        {
            "request": TEXT,
            "key": {"type": "string", "pattern": "^[a-z0-9]{6}$"},
            "off": FLAG,
            "send": {"type": "string", "pattern": r"^\S+\s+\S"},
            "query": PAIRS,
            "headers": PAIRS,
            "auth": {**auth, "minProperties": 1, "maxProperties": 1},
            "json": {},
            "text": {"type": "string"},
            "type": TEXT,
            "form": PAIRS,
            "options": {"$ref": "#/$defs/options"},
            "expect": _list({"$ref": "#/$defs/check"}),
            "keep": {"type": "object", "propertyNames": NAMES, "additionalProperties": keep},
        },
    )


def case_schema() -> dict[str, Any]:
    """A case file."""
    own = {"key": {"type": "string", "pattern": "^[a-z0-9]{6}$"}, "off": FLAG}
    steps = _list({"oneOf": [{"$ref": "#/$defs/request"}, {"$ref": "#/$defs/set"}, {"$ref": "#/$defs/wait"}]})
    schema = _object(
        ("salt-path", "case", "steps"),
        {
            "salt-path": {"const": 1},
            "case": TEXT,
            "about": TEXT,
            "key": {"type": "string", "pattern": "^[a-z0-9]{10}$"},
            "register": SCALAR,
            "tags": _list(SCALAR),
            "values": VALUES,
            "options": {"$ref": "#/$defs/options"},
            "on failure": {"enum": ["stop", "go on"]},
            "steps": steps,
            "afterwards": steps,
        },
    )
    schema["$defs"] = {
        "options": OPTIONS,
        "check": _check(),
        "request": _request(),
        "set": _object(("set",), {"set": VALUES, **own}),
        "wait": _object(("wait",), {"wait": DURATION, **own}),
    }
    return _titled("A case of Salt Path", schema)


def project_schema() -> dict[str, Any]:
    return _titled("A project of Salt Path", _object(("salt-path", "project"), {
        "salt-path": {"const": 1}, "project": TEXT, "about": TEXT, "values": VALUES, "options": OPTIONS, "zone": TEXT,
        "environment": TEXT}))  # fmt: skip


def suite_schema() -> dict[str, Any]:
    return _titled("A suite of Salt Path", _object(("salt-path",), {
        "salt-path": {"const": 1}, "suite": TEXT, "about": TEXT, "values": VALUES, "options": OPTIONS, "order": _list(TEXT)}))  # fmt: skip


def environment_schema() -> dict[str, Any]:
    return _titled("An environment of Salt Path", _object(("salt-path", "environment"), {
        "salt-path": {"const": 1}, "environment": TEXT, "about": TEXT, "values": VALUES, "guarded": FLAG}))  # fmt: skip


def report_schema() -> dict[str, Any]:
    """The JSON report of `saltpath run --json`."""
    number, text = {"type": "number", "minimum": 0}, {"type": "string"}
    counts = {"type": "object", "propertyNames": VERDICT, "additionalProperties": {"type": "integer", "minimum": 0}}
    check = _object(("check", "verdict", "expected", "actual", "where", "why"), {
        "check": text, "verdict": VERDICT, "expected": {}, "actual": {}, "where": _list(text), "why": text, "code": text,
        "advice": FLAG, "note": text})  # fmt: skip
    step = _object(("step", "kind", "verdict", "why", "ms", "kept", "checks"), {
        "step": text, "key": text, "kind": {"enum": ["request", "set", "wait"]}, "verdict": VERDICT, "why": text, "ms": number,
        "status": {"type": "integer"}, "part": {"enum": ["afterwards"]}, "kept": {"type": "object"}, "checks": _list(check)})  # fmt: skip
    row = _object(("row", "data", "verdict", "why", "steps"), {
        "row": {"type": "integer", "minimum": 1}, "data": {"type": "object"}, "verdict": VERDICT, "why": text,
        "steps": _list(step)})  # fmt: skip
    case = _object(("case", "file", "verdict", "rows", "once", "at the end"), {
        "case": text, "key": text, "register": text, "file": text, "verdict": VERDICT, "why": text, "ms": number,
        "once": _list(step), "at the end": _list(step), "rows": _list(row)})  # fmt: skip
    return _titled("A report of Salt Path", _object(("salt-path-report", "verdict", "seed", "started", "ms", "counts", "cases"), {
        "salt-path-report": {"const": 1}, "verdict": VERDICT, "seed": {"type": "integer"},
        "started": {"type": "string", "format": "date-time"}, "ms": number, "environment": text, "label": text,
        "stopped by": text, "counts": _object(("cases", "rows", "steps", "checks"), dict.fromkeys(
            ("cases", "rows", "steps", "checks"), counts)), "cases": _list(case)}))  # fmt: skip


def _titled(title: str, schema: dict[str, Any]) -> dict[str, Any]:
    return {"$schema": DIALECT, "title": title, **schema}


SCHEMAS = {
    "case": case_schema,
    "project": project_schema,
    "suite": suite_schema,
    "environment": environment_schema,
    "report": report_schema,
}


def write_all(folder: Path) -> None:
    for name, make in SCHEMAS.items():
        text = json.dumps(make(), indent=1, ensure_ascii=False) + "\n"
        (folder / f"{name}.schema.json").write_text(text, encoding="utf-8")


if __name__ == "__main__":
    write_all(Path(sys.argv[1]))
