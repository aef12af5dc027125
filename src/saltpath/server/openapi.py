"""The API's own OpenAPI document, made of what each endpoint declares (`declared.py`). The pages'
types are generated from it."""

from __future__ import annotations

import re
from typing import Any

from flask import Flask

from saltpath.server.declared import BODIES, OPERATION
from saltpath.server.shapes import SHAPES, gathered
from saltpath.server.taking import shapes_of

ROOT = "/api/v1"


def document(app: Flask) -> dict[str, Any]:
    """OpenAPI 3.1, of the endpoints of an application, in the order in which they were added."""
    paths: dict[str, dict[str, Any]] = {}
    for rule in app.url_map.iter_rules():
        operation = getattr(app.view_functions[rule.endpoint], OPERATION, None)
        if operation is None or not rule.rule.startswith(ROOT):
            continue
        path = re.sub(r"<(?:\w+:)?(\w+)>", r"{\1}", rule.rule.removeprefix(ROOT))
        [method] = {method.lower() for method in rule.methods or ()} - {"head", "options"}
        paths.setdefault(path, {})[method] = operation
    return {
        "openapi": "3.1.0",
        "info": {
            "title": "Salt Path",
            "version": "1",
            "description": "The API of a Salt Path installation.",
        },
        "servers": [{"url": ROOT}],
        "paths": paths,
        "components": {"schemas": gathered(SHAPES, shapes_of(list(BODIES.values())))},
    }
