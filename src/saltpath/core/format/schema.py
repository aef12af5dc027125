"""JSON Schemas (2020-12) of the files and of the report. `make schemas` writes them to
src/saltpath/schemas.

A test holds the keys here against those that the reader knows, and the shipped files against this
module.
"""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

from saltpath.core.cases.row_sources import CELL_KINDS
from saltpath.core.cases.statement import RELATIONS
from saltpath.core.checks.relations import TABLE
from saltpath.core.format.asked_reader import LARGEST_MOST
from saltpath.core.format.options_reader import LEAST_RATE, MOST_AT_ONCE, MOST_RATE
from saltpath.core.format.shared_reader import INPUT_KINDS

DIALECT = "https://json-schema.org/draft/2020-12/schema"
TEXT: dict[str, Any] = {"type": "string", "minLength": 1}
FLAG: dict[str, Any] = {"type": "boolean"}
SCALAR: dict[str, Any] = {"type": ["string", "number", "boolean"]}
DURATION: dict[str, Any] = {
    "type": "string",
    "pattern": r"^\s*\d+(\.\d+)?\s*(us|ms|s|min|h|day|days)\s*$",
}
SIZE: dict[str, Any] = {"type": "string", "pattern": r"^\s*\d+(\.\d+)?\s*(B|kB|MB|GB)\s*$"}
VERDICT: dict[str, Any] = {"enum": ["passed", "failed", "blocked", "skipped", "unchecked"]}
NAMES = {"pattern": r"^[^\W\d_][\w-]*$"}


def _object(
    required: tuple[str, ...], properties: dict[str, Any], open: bool = False
) -> dict[str, Any]:
    return {
        "type": "object",
        "required": list(required),
        "properties": properties,
        "additionalProperties": open,
    }


def _list(items: dict[str, Any]) -> dict[str, Any]:
    return {"type": "array", "items": items}


SECRET = _object(("secret",), {"secret": FLAG})
VALUES = {
    "type": "object",
    "propertyNames": NAMES,
    "additionalProperties": {
        "anyOf": [SECRET, {"not": {"type": "object", "required": ["secret"]}}]
    },
}
COUNT = {"type": "integer", "minimum": 0}
CERTIFICATE = _object(("file",), {"file": TEXT, "key": TEXT, "password": SCALAR})
OPTIONS = _object(
    (),
    {
        "timeout": DURATION,
        "follow redirects": FLAG,
        "verify tls": FLAG,
        "largest body": SIZE,
        "retries": {
            "anyOf": [COUNT, _object(("times",), {"times": COUNT, "also after sending": FLAG})]
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
COLUMN = {
    "anyOf": [
        {"enum": list(CELL_KINDS)},
        _object((), {"kind": {"enum": list(CELL_KINDS)}, "may be empty": FLAG}),
    ]
}
_FILE: dict[str, Any] = {
    "sheet": TEXT,
    "names in": COUNT,
    "data in": {
        "type": "string",
        "pattern": "^[A-Za-z]{1,3}[1-9][0-9]*(:([A-Za-z]{1,3})?([1-9][0-9]*)?)?$",
    },
    "delimiter": TEXT,
    "quote": TEXT,
    "encoding": TEXT,
    "decimal": {"enum": [",", "."]},
    "comments": {"type": "string", "minLength": 1, "maxLength": 10},
    "path": TEXT,
    "columns": {"type": "object", "additionalProperties": COLUMN},
}
_WRITTEN = _list({"type": "object", "minProperties": 1})
_MADE = {"type": "object", "minProperties": 1}
SAMPLE = _object(("sample",), {"sample": {"type": "integer", "minimum": 1}})
_NAMES = {"anyOf": [TEXT, _list(TEXT)]}
_RELATIONS = {
    "type": "object",
    "additionalProperties": False,
    "properties": {key: {} for key in RELATIONS},
}
ASKED: dict[str, Any] = {
    "rows of": TEXT,
    "columns": _NAMES,
    "where": {
        "type": "object",
        "additionalProperties": {"anyOf": [SCALAR, {"type": ["null", "array"]}, _RELATIONS]},
    },
    "order by": _NAMES,
    "sql": TEXT,
    "most rows": {"type": "integer", "minimum": 1, "maximum": LARGEST_MOST},
}
SOURCE: dict[str, Any] = {
    "anyOf": [
        TEXT,
        _WRITTEN,
        _object(("source",), {"source": TEXT, **_FILE, "pick": TEXT}),
        _object(("file",), {"file": TEXT, **_FILE, "pick": TEXT}),
        _object(("rows",), {"rows": _WRITTEN, "pick": TEXT}),
        _object(
            ("make", "columns"),
            {"make": {"type": "integer", "minimum": 1}, "columns": _MADE, "pick": TEXT},
        ),
        _object(
            ("combine", "columns"),
            {
                "combine": {"anyOf": [{"enum": ["all", "pairwise"]}, SAMPLE]},
                "columns": {**_MADE, "additionalProperties": {"type": "array", "minItems": 1}},
                "pick": TEXT,
            },
        ),
        {
            **_object(("in",), {"in": TEXT, **ASKED, "pick": TEXT}),
            "oneOf": [{"required": ["rows of"]}, {"required": ["sql"]}],
        },
        _object(("output table",), {"output table": TEXT, "pick": TEXT}),
        _object(("items of",), {"items of": {"type": ["string", "array"]}, "pick": TEXT}),
    ]
}
PAIRS = {
    "oneOf": [
        {"type": "object", "additionalProperties": SCALAR},
        _list({"type": "array", "prefixItems": [TEXT, SCALAR], "minItems": 2, "maxItems": 2}),
    ]
}


def _check() -> dict[str, Any]:
    relations = {relation.name: relation.takes.schema for relation in TABLE.values()}
    check = _object(
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
        _object(("when", "then"), {"when": CHECKS, "then": CHECKS, "otherwise": CHECKS, **aside}),
        *(_object((kind,), {kind: CHECKS, **aside}) for kind in ("any of", "all of", "none of")),
        _object(
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


REPEAT = _object(
    ("until", "every", "at most"), {"until": CHECKS, "every": DURATION, "at most": DURATION}
)


def _sign_in() -> dict[str, Any]:
    pair = {"type": "array", "items": SCALAR, "minItems": 2, "maxItems": 2}
    key = _object(
        ("in", "name", "value"),
        {"in": {"enum": ["header", "query", "cookie"]}, "name": TEXT, "value": SCALAR},
    )
    oauth2 = _object(
        ("token url", "client id", "client secret"),
        {"token url": TEXT, "client id": SCALAR, "client secret": SCALAR, "scope": SCALAR},
    )
    auth = _object(
        (), {"bearer": SCALAR, "basic": pair, "digest": pair, "key": key, "oauth2": oauth2}
    )
    return {"anyOf": [{"const": "none"}, {**auth, "minProperties": 1, "maxProperties": 1}]}


SIGN_IN = _sign_in()


def _request() -> dict[str, Any]:
    part = _object(("name",), {"name": SCALAR, "text": SCALAR, "file": TEXT, "type": TEXT})
    part["oneOf"] = [{"required": ["text"]}, {"required": ["file"]}]
    return _object(
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
            "multipart": _list(part),
            "type": TEXT,
            "form": PAIRS,
            "options": {"$ref": "#/$defs/options"},
            "only if": CHECKS,
            "repeat": REPEAT,
            "without": _list(TEXT),
            "expect": _list({"$ref": "#/$defs/expectation"}),
            "keep": KEEPS,
            "write": WRITE,
        },
    )


KEEPS = {
    "type": "object",
    "propertyNames": NAMES,
    "additionalProperties": {"anyOf": [TEXT, _object(("of",), {"of": TEXT, "secret": FLAG})]},
}
WRITE = _object(
    ("table", "columns"),
    {
        "table": TEXT,
        "columns": {"type": "object", "minProperties": 1, "additionalProperties": SCALAR},
    },
)


def _lookup() -> dict[str, Any]:
    schema = _object(
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
            "expect": _list({"$ref": "#/$defs/expectation"}),
            "keep": KEEPS,
            "write": WRITE,
        },
    )
    return {**schema, "oneOf": [{"required": ["rows of"]}, {"required": ["sql"]}]}


DATABASE = {
    **_object(
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
            "rows": SOURCE,
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
    kinds = ("request", "lookup", "set", "wait", "use", "each")
    named = {"type": "object", "propertyNames": NAMES}
    return {
        "options": OPTIONS,
        **_expectations(),
        "steps": _list({"oneOf": [{"$ref": f"#/$defs/{kind}"} for kind in kinds]}),
        "request": _request(),
        "lookup": _lookup(),
        "set": _object(("set",), {"set": VALUES, "write": WRITE, **own}),
        "wait": _object(("wait",), {"wait": DURATION, **own}),
        "use": _object(
            ("shared",),
            {
                "shared": TEXT,
                "with": named,
                "gives": {**named, "additionalProperties": NAMES},
                **own,
            },
        ),
        "each": _object(
            ("for each", "steps"),
            {
                "for each": {"type": ["string", "array"]},
                "as": NAMES,
                "steps": {"$ref": "#/$defs/steps"},
                **own,
            },
        ),
    }


def shared_schema() -> dict[str, Any]:
    """A file of shared steps."""
    one = _object((), {"kind": {"enum": list(INPUT_KINDS)}, "default": {}})
    schema = _object(
        ("salt-path", "shared", "steps"),
        {
            "salt-path": {"const": 1},
            "shared": TEXT,
            "about": TEXT,
            "key": {"type": "string", "pattern": "^[a-z0-9]{10}$"},
            "tags": _list(SCALAR),
            "inputs": {"type": "object", "propertyNames": NAMES, "additionalProperties": one},
            "outputs": {"type": "object", "propertyNames": NAMES},
            "steps": {"$ref": "#/$defs/steps"},
        },
    )
    return _titled("Shared steps of Salt Path", {**schema, "$defs": _steps()})


EVERY_ANSWER = _list({"$ref": "#/$defs/expectation"})


def project_schema() -> dict[str, Any]:
    schema = _object(
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
            "sources": {"type": "object", "additionalProperties": SOURCE},
            "databases": {"type": "object", "additionalProperties": DATABASE},
        },
    )
    return _titled("A project of Salt Path", {**schema, "$defs": _expectations()})


def suite_schema() -> dict[str, Any]:
    schema = _object(
        ("salt-path",),
        {
            "salt-path": {"const": 1},
            "suite": TEXT,
            "about": TEXT,
            "values": VALUES,
            "values in": {"type": "object", "additionalProperties": VALUES},
            "options": OPTIONS,
            "order": _list(TEXT),
            "auth": SIGN_IN,
            "every answer": EVERY_ANSWER,
        },
    )
    return _titled("A suite of Salt Path", {**schema, "$defs": _expectations()})


def environment_schema() -> dict[str, Any]:
    return _titled(
        "An environment of Salt Path",
        _object(
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


def report_schema() -> dict[str, Any]:
    """The JSON report of `saltpath run --json`."""
    number, text = {"type": "number", "minimum": 0}, {"type": "string"}
    counts = {
        "type": "object",
        "propertyNames": VERDICT,
        "additionalProperties": {"type": "integer", "minimum": 0},
    }
    check = _object(
        ("check", "verdict", "expected", "actual", "where", "why"),
        {
            "check": text,
            "verdict": VERDICT,
            "expected": {},
            "actual": {},
            "where": _list(text),
            "why": text,
            "code": text,
            "advice": FLAG,
            "note": text,
            "parts": _list({"$ref": "#/$defs/check"}),
            "role": {"enum": ["when"]},
            "from": {"enum": ["project", "suite", "case", "until"]},
        },
    )
    step = _object(
        ("step", "kind", "verdict", "why", "ms", "kept", "checks"),
        {
            "step": text,
            "key": text,
            "kind": {"enum": ["request", "look up", "set", "wait", "shared", "for each"]},
            "verdict": VERDICT,
            "why": text,
            "ms": number,
            "status": {"type": "integer"},
            "part": {"enum": ["afterwards"]},
            "kept": {"type": "object"},
            "attempts": {"type": "integer"},
            "item": {"type": "integer", "minimum": 1},
            "checks": _list({"$ref": "#/$defs/check"}),
            "steps": _list({"$ref": "#/$defs/step"}),
        },
    )
    row = _object(
        ("row", "data", "verdict", "why", "steps"),
        {
            "row": {"type": "integer", "minimum": 1},
            "data": {"type": "object"},
            "verdict": VERDICT,
            "why": text,
            "ms": number,
            "steps": _list({"$ref": "#/$defs/step"}),
        },
    )
    case = _object(
        ("case", "file", "verdict", "rows", "once", "at the end"),
        {
            "case": text,
            "key": text,
            "register": text,
            "file": text,
            "verdict": VERDICT,
            "why": text,
            "ms": number,
            "once": _list({"$ref": "#/$defs/step"}),
            "at the end": _list({"$ref": "#/$defs/step"}),
            "rows": _list(row),
        },
    )
    schema = _object(
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
            "counts": _object(
                ("cases", "rows", "steps", "checks"),
                dict.fromkeys(("cases", "rows", "steps", "checks"), counts),
            ),
            "cases": _list(case),
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
    "report": report_schema,
}


def write_all(folder: Path) -> None:
    for name, make in SCHEMAS.items():
        text = json.dumps(make(), indent=1, ensure_ascii=False) + "\n"
        (folder / f"{name}.schema.json").write_text(text, encoding="utf-8")


if __name__ == "__main__":
    write_all(Path(sys.argv[1]))
