"""JSON Schemas (2020-12) of the files and of the report. `make schemas` writes them to
src/saltpath/schemas.

A test holds the keys here against those that the reader knows, and the shipped files against this
module.
"""

from __future__ import annotations

import json
import sys
from collections.abc import Callable
from pathlib import Path
from typing import Any

from saltpath.core.checks.relations import TABLE
from saltpath.core.format.asked_reader import ASKED
from saltpath.core.format.json_shapes import (
    COUNT,
    DURATION,
    FLAG,
    NAMES,
    SCALAR,
    SIZE,
    TEXT,
    VERDICT,
    list_of,
    object_of,
)
from saltpath.core.format.options_reader import LEAST_RATE, MOST_AT_ONCE, MOST_RATE
from saltpath.core.format.reader import STEP_READERS
from saltpath.core.format.row_kinds import BY_KEY
from saltpath.core.format.row_kinds.made import WRITTEN
from saltpath.core.format.shared_reader import INPUT_KINDS

DIALECT = "https://json-schema.org/draft/2020-12/schema"
SECRET = object_of(("secret",), {"secret": FLAG})
VALUES = {
    "type": "object",
    "propertyNames": NAMES,
    "additionalProperties": {
        "anyOf": [SECRET, {"not": {"type": "object", "required": ["secret"]}}]
    },
}
CERTIFICATE = object_of(("file",), {"file": TEXT, "key": TEXT, "password": SCALAR})
OPTIONS = object_of(
    (),
    {
        "timeout": DURATION,
        "follow redirects": FLAG,
        "verify tls": FLAG,
        "largest body": SIZE,
        "retries": {
            "anyOf": [COUNT, object_of(("times",), {"times": COUNT, "also after sending": FLAG})]
        },
        "retry after": DURATION,
        "cookies": FLAG,
        "fresh connection": FLAG,
        "client certificate": {"anyOf": [TEXT, CERTIFICATE]},
        "proxy": TEXT,
        "at once per host": {"type": "integer", "minimum": 1, "maximum": MOST_AT_ONCE},
        "per second": {"type": "number", "minimum": LEAST_RATE, "maximum": MOST_RATE},
        "namespaces": {"type": "object", "additionalProperties": TEXT},
        "trust redirects to": {"type": "array", "items": TEXT},
    },
)
PAIRS = {
    "oneOf": [
        {"type": "object", "additionalProperties": SCALAR},
        list_of({"type": "array", "prefixItems": [TEXT, SCALAR], "minItems": 2, "maxItems": 2}),
    ]
}


def _source() -> dict[str, Any]:
    return {"anyOf": [TEXT, WRITTEN, *(kind.shape for kind in BY_KEY.values())]}


def _check() -> dict[str, Any]:
    relations = {relation.name: relation.takes.schema for relation in TABLE.values()}
    check = object_of(
        ("of",), {"of": TEXT, "any": FLAG, "advice": FLAG, "note": TEXT, "off": FLAG, **relations}
    )
    check["minProperties"] = 2
    check["oneOf"] = [{"required": [name]} for name in relations]
    return check


CHECKS: dict[str, Any] = {"$ref": "#/$defs/checks"}


def _expectations() -> dict[str, Any]:
    """Checks and groups, as definitions."""
    aside = {"advice": FLAG, "note": TEXT, "off": FLAG}
    groups = [
        object_of(("when", "then"), {"when": CHECKS, "then": CHECKS, "otherwise": CHECKS, **aside}),
        *(object_of((kind,), {kind: CHECKS, **aside}) for kind in ("any of", "all of", "none of")),
        object_of(
            ("for each", "expect"),
            {"for each": TEXT, "expect": CHECKS, "may be empty": FLAG, **aside},
        ),
    ]
    one = {"$ref": "#/$defs/expectation"}
    return {
        "check": _check(),
        "expectation": {"anyOf": [{"$ref": "#/$defs/check"}, *groups]},
        "checks": {"anyOf": [one, {"type": "array", "items": one, "minItems": 1}]},
    }


REPEAT = object_of(
    ("until", "every", "at most"), {"until": CHECKS, "every": DURATION, "at most": DURATION}
)


def _sign_in() -> dict[str, Any]:
    pair = {"type": "array", "items": SCALAR, "minItems": 2, "maxItems": 2}
    key = object_of(
        ("in", "name", "value"),
        {"in": {"enum": ["header", "query", "cookie"]}, "name": TEXT, "value": SCALAR},
    )
    oauth2 = object_of(
        ("token url", "client id", "client secret"),
        {"token url": TEXT, "client id": SCALAR, "client secret": SCALAR, "scope": SCALAR},
    )
    auth = object_of(
        (), {"bearer": SCALAR, "basic": pair, "digest": pair, "key": key, "oauth2": oauth2}
    )
    return {"anyOf": [{"const": "none"}, {**auth, "minProperties": 1, "maxProperties": 1}]}


SIGN_IN = _sign_in()


def _request() -> dict[str, Any]:
    part = object_of(("name",), {"name": SCALAR, "text": SCALAR, "file": TEXT, "type": TEXT})
    part["oneOf"] = [{"required": ["text"]}, {"required": ["file"]}]
    return object_of(
        ("request", "send"),
        {
            "request": TEXT,
            "key": {"type": "string", "pattern": "^[a-z0-9]{6}$"},
            "off": FLAG,
            "send": {"type": "string", "pattern": r"^\S+\s+\S"},
            "query": PAIRS,
            "headers": PAIRS,
            "auth": SIGN_IN,
            "json": {},
            "xml": {"type": "string"},
            "text": {"type": "string"},
            "file": TEXT,
            "multipart": list_of(part),
            "type": TEXT,
            "form": PAIRS,
            "options": {"$ref": "#/$defs/options"},
            "only if": CHECKS,
            "repeat": REPEAT,
            "without": list_of(TEXT),
            "expect": list_of({"$ref": "#/$defs/expectation"}),
            "keep": KEEPS,
            "write": WRITE,
        },
    )


KEEPS = {
    "type": "object",
    "propertyNames": NAMES,
    "additionalProperties": {
        "anyOf": [TEXT, object_of(("of",), {"of": TEXT, "secret": FLAG, "build": FLAG})]
    },
}
WRITE = object_of(
    ("table", "columns"),
    {
        "table": TEXT,
        "columns": {"type": "object", "minProperties": 1, "additionalProperties": SCALAR},
    },
)


def _lookup() -> dict[str, Any]:
    schema = object_of(
        ("look up", "in"),
        {
            "look up": TEXT,
            "key": {"type": "string", "pattern": "^[a-z0-9]{6}$"},
            "off": FLAG,
            "in": TEXT,
            **ASKED,
            "options": {"$ref": "#/$defs/options"},
            "only if": CHECKS,
            "repeat": REPEAT,
            "expect": list_of({"$ref": "#/$defs/expectation"}),
            "keep": KEEPS,
            "write": WRITE,
        },
    )
    return {**schema, "oneOf": [{"required": ["rows of"]}, {"required": ["sql"]}]}


DATABASE = {
    **object_of(
        (),
        {
            "sqlite": SCALAR,
            "postgres": SCALAR,
            "user": SCALAR,
            "password": SCALAR,
            "tls": {"enum": ["off", "require", "verify", False]},
            "may change": FLAG,
        },
    ),
    "oneOf": [{"required": ["sqlite"]}, {"required": ["postgres"]}],
}


def case_schema() -> dict[str, Any]:
    """A case file."""
    steps = {"$ref": "#/$defs/steps"}
    schema = object_of(
        ("salt-path", "case", "steps"),
        {
            "salt-path": {"const": 1},
            "case": TEXT,
            "about": TEXT,
            "key": {"type": "string", "pattern": "^[a-z0-9]{10}$"},
            "register": SCALAR,
            "tags": list_of(SCALAR),
            "values": VALUES,
            "rows": _source(),
            "options": {"$ref": "#/$defs/options"},
            "on failure": {"enum": ["stop", "go on"]},
            "auth": SIGN_IN,
            "every answer": EVERY_ANSWER,
            "once": steps,
            "steps": steps,
            "afterwards": steps,
            "at the end": steps,
        },
    )
    return _titled("A case of Salt Path", {**schema, "$defs": _steps()})


def _steps() -> dict[str, Any]:
    """Everything that stands below a list of steps, as definitions."""
    own = {"key": {"type": "string", "pattern": "^[a-z0-9]{6}$"}, "off": FLAG, "only if": CHECKS}
    return {
        "options": OPTIONS,
        **_expectations(),
        "steps": list_of({"oneOf": [{"$ref": f"#/$defs/{kind}"} for kind in STEPS]}),
        **{kind: shape(own) for kind, shape in STEPS.items()},
    }


def _use(own: dict[str, Any]) -> dict[str, Any]:
    named = {"type": "object", "propertyNames": NAMES}
    gives = {**named, "additionalProperties": NAMES}
    return object_of(("shared",), {"shared": TEXT, "with": named, "gives": gives, **own})


def _each(own: dict[str, Any]) -> dict[str, Any]:
    of = {"type": ["string", "array"]}
    below = {"for each": of, "as": NAMES, "steps": {"$ref": "#/$defs/steps"}}
    return object_of(("for each", "steps"), {**below, **own})


STEPS: dict[str, Callable[[dict[str, Any]], dict[str, Any]]] = {
    "request": lambda own: _request(),
    "lookup": lambda own: _lookup(),
    "set": lambda own: object_of(("set",), {"set": VALUES, "write": WRITE, **own}),
    "wait": lambda own: object_of(("wait",), {"wait": DURATION, **own}),
    "use": _use,
    "each": _each,
}
"""The shapes of kinds of steps by their definitions' names, from what every step may have."""


def shared_schema() -> dict[str, Any]:
    """A file of shared steps."""
    one = object_of((), {"kind": {"enum": list(INPUT_KINDS)}, "default": {}})
    schema = object_of(
        ("salt-path", "shared", "steps"),
        {
            "salt-path": {"const": 1},
            "shared": TEXT,
            "about": TEXT,
            "key": {"type": "string", "pattern": "^[a-z0-9]{10}$"},
            "tags": list_of(SCALAR),
            "inputs": {"type": "object", "propertyNames": NAMES, "additionalProperties": one},
            "outputs": {"type": "object", "propertyNames": NAMES},
            "steps": {"$ref": "#/$defs/steps"},
        },
    )
    return _titled("Shared steps of Salt Path", {**schema, "$defs": _steps()})


EVERY_ANSWER = list_of({"$ref": "#/$defs/expectation"})


def project_schema() -> dict[str, Any]:
    schema = object_of(
        ("salt-path", "project"),
        {
            "salt-path": {"const": 1},
            "project": TEXT,
            "about": TEXT,
            "values": VALUES,
            "options": OPTIONS,
            "zone": TEXT,
            "environment": TEXT,
            "auth": SIGN_IN,
            "every answer": EVERY_ANSWER,
            "sources": {"type": "object", "additionalProperties": _source()},
            "databases": {"type": "object", "additionalProperties": DATABASE},
        },
    )
    return _titled("A project of Salt Path", {**schema, "$defs": _expectations()})


def suite_schema() -> dict[str, Any]:
    schema = object_of(
        ("salt-path",),
        {
            "salt-path": {"const": 1},
            "suite": TEXT,
            "about": TEXT,
            "tags": list_of(SCALAR),
            "values": VALUES,
            "values in": {"type": "object", "additionalProperties": VALUES},
            "options": OPTIONS,
            "order": list_of(TEXT),
            "in order": FLAG,
            "set up": list_of(TEXT),
            "clean up": list_of(TEXT),
            "auth": SIGN_IN,
            "every answer": EVERY_ANSWER,
        },
    )
    return _titled("A suite of Salt Path", {**schema, "$defs": _expectations()})


def environment_schema() -> dict[str, Any]:
    return _titled(
        "An environment of Salt Path",
        object_of(
            ("salt-path", "environment"),
            {
                "salt-path": {"const": 1},
                "environment": TEXT,
                "about": TEXT,
                "values": VALUES,
                "guarded": FLAG,
            },
        ),
    )


def watch_schema() -> dict[str, Any]:
    hours = {"anyOf": [TEXT, list_of(TEXT)]}
    maintenance = object_of((), {"from": TEXT, "to": TEXT, "hours": TEXT, "note": TEXT})
    limits = object_of((), {"time": TEXT, "answers": hours, "available": TEXT, "over": TEXT})
    in_a_row = {"type": "integer", "minimum": 1, "maximum": 1000}
    schema = object_of(
        ("salt-path", "watch"),
        {
            "salt-path": {"const": 1},
            **dict.fromkeys(("watch", "key", "about", "case", "suite", "tag"), TEXT),
            **dict.fromkeys(("every", "cron", "zone", "environment", "pick", "supplier"), TEXT),
            **dict.fromkeys(("exact", "try again", "may change", "urgent", "off"), FLAG),
            "hours": hours,
            "values": VALUES,
            "limits": limits,
            "bad after": in_a_row,
            "good after": in_a_row,
            "maintenance": list_of(maintenance),
            "tell": list_of(TEXT),
            "tags": list_of(SCALAR),
        },
    )
    return _titled("A watch of Salt Path", schema)


def report_schema() -> dict[str, Any]:
    """The JSON report of `saltpath run --json`."""
    number, text = {"type": "number", "minimum": 0}, {"type": "string"}
    counts = {
        "type": "object",
        "propertyNames": VERDICT,
        "additionalProperties": {"type": "integer", "minimum": 0},
    }
    check = object_of(
        ("check", "verdict", "expected", "actual", "where", "why"),
        {
            "check": text,
            "verdict": VERDICT,
            "expected": {},
            "actual": {},
            "where": list_of(text),
            "why": text,
            "code": text,
            "advice": FLAG,
            "note": text,
            "parts": list_of({"$ref": "#/$defs/check"}),
            "role": {"enum": ["when"]},
            "from": {"enum": ["project", "suite", "case", "until"]},
        },
    )
    step = object_of(
        ("step", "kind", "verdict", "why", "ms", "kept", "checks"),
        {
            "step": text,
            "key": text,
            "kind": {"enum": list(STEP_READERS)},
            "verdict": VERDICT,
            "why": text,
            "ms": number,
            "status": {"type": "integer"},
            "part": {"enum": ["afterwards"]},
            "kept": {"type": "object"},
            "attempts": {"type": "integer"},
            "item": {"type": "integer", "minimum": 1},
            "checks": list_of({"$ref": "#/$defs/check"}),
            "steps": list_of({"$ref": "#/$defs/step"}),
        },
    )
    row = object_of(
        ("row", "data", "verdict", "why", "steps"),
        {
            "row": {"type": "integer", "minimum": 1},
            "data": {"type": "object"},
            "verdict": VERDICT,
            "why": text,
            "ms": number,
            "steps": list_of({"$ref": "#/$defs/step"}),
        },
    )
    case = object_of(
        ("case", "file", "verdict", "rows", "once", "at the end"),
        {
            "case": text,
            "environment": text,
            "key": text,
            "register": text,
            "file": text,
            "verdict": VERDICT,
            "why": text,
            "ms": number,
            "once": list_of({"$ref": "#/$defs/step"}),
            "at the end": list_of({"$ref": "#/$defs/step"}),
            "rows": list_of(row),
        },
    )
    cause = object_of(
        ("who", "sentence", "verdict", "cases", "known"),
        {
            "who": text,
            "sentence": text,
            "verdict": {"enum": ["failed", "blocked"]},
            "cases": {"type": "integer", "minimum": 1},
            "known": text,
        },
    )
    schema = object_of(
        ("salt-path-report", "verdict", "seed", "started", "ms", "counts", "cases"),
        {
            "salt-path-report": {"const": 1},
            "verdict": VERDICT,
            "seed": {"type": "integer"},
            "started": {"type": "string", "format": "date-time"},
            "ms": number,
            "environment": text,
            "label": text,
            "stopped by": text,
            "title": text,
            "number": {"type": "integer", "minimum": 1},
            "note": text,
            "causes": list_of(cause),
            "counts": object_of(
                ("cases", "rows", "steps", "checks"),
                dict.fromkeys(("cases", "rows", "steps", "checks"), counts),
            ),
            "cases": list_of(case),
        },
    )
    return _titled("A report of Salt Path", {**schema, "$defs": {"check": check, "step": step}})


def _titled(title: str, schema: dict[str, Any]) -> dict[str, Any]:
    return {"$schema": DIALECT, "title": title, **schema}


SCHEMAS = {
    "case": case_schema,
    "shared": shared_schema,
    "project": project_schema,
    "suite": suite_schema,
    "environment": environment_schema,
    "watch": watch_schema,
    "report": report_schema,
}


def write_all(folder: Path) -> None:
    for name, make in SCHEMAS.items():
        text = json.dumps(make(), indent=1, ensure_ascii=False) + "\n"
        (folder / f"{name}.schema.json").write_text(text, encoding="utf-8")


if __name__ == "__main__":
    write_all(Path(sys.argv[1]))
