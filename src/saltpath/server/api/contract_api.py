"""What the API says of itself: whether it works, and its OpenAPI document."""

from __future__ import annotations

from flask import Blueprint, Response, current_app

from saltpath.server.context import database
from saltpath.server.declared import declared, of
from saltpath.server.openapi import document
from saltpath.server.problems import json_answer

contract_api = Blueprint("contract_api", __name__)


@contract_api.get("/health")
@declared("readHealth", "Whether the server works", of("Health"), may="open")
def health() -> Response:
    database().execute("SELECT 1 FROM project LIMIT 1").fetchone()
    return json_answer({"state": "up"})


@contract_api.get("/openapi.json")
@declared("readContract", "This document", {"type": "object"}, may="anyone")
def openapi() -> Response:
    return json_answer(document(current_app))
