"""The application factory: guards, problems, the API, and the built pages."""

from __future__ import annotations

from collections.abc import Sequence
from pathlib import Path
from typing import Any

from flask import Flask, Response, g

from saltpath.server.api.account_api import account_api
from saltpath.server.api.addresses_api import addresses_api
from saltpath.server.api.audit_api import audit_api
from saltpath.server.api.causes_api import causes_api
from saltpath.server.api.compare_api import compare_api
from saltpath.server.api.contract_api import contract_api
from saltpath.server.api.coverage_api import coverage_api
from saltpath.server.api.data_api import data_api
from saltpath.server.api.databases_api import databases_api
from saltpath.server.api.deliveries_api import deliveries_api
from saltpath.server.api.documents import documents
from saltpath.server.api.entry_api import entry_api
from saltpath.server.api.evidence_api import evidence_api
from saltpath.server.api.exchanges_api import exchanges_api
from saltpath.server.api.files_api import files_api
from saltpath.server.api.finished_api import finished_api
from saltpath.server.api.history_api import history_api
from saltpath.server.api.incoming import incoming
from saltpath.server.api.keeping_api import keeping_api
from saltpath.server.api.keys_api import keys_api
from saltpath.server.api.known_api import known_api
from saltpath.server.api.left_api import left_api
from saltpath.server.api.lift_api import lift_api
from saltpath.server.api.noticing_api import noticing_api
from saltpath.server.api.outcome_api import outcome_api
from saltpath.server.api.outline_api import outline_api
from saltpath.server.api.outputs_api import outputs_api
from saltpath.server.api.people_api import people_api
from saltpath.server.api.pictures_api import add_pictures, pictures_api
from saltpath.server.api.proof_api import proof_api
from saltpath.server.api.proposals_api import proposals_api
from saltpath.server.api.provider_api import Begun, provider_api
from saltpath.server.api.reach_api import reach_api
from saltpath.server.api.renaming_api import renaming_api
from saltpath.server.api.routes_api import routes_api
from saltpath.server.api.rows_api import rows_api
from saltpath.server.api.runs_api import runs_api
from saltpath.server.api.shared_api import shared_api
from saltpath.server.api.shares_api import add_shared_pages, shares_api
from saltpath.server.api.sheets_api import sheets_api
from saltpath.server.api.since_pass_api import since_pass_api
from saltpath.server.api.single_api import single_api
from saltpath.server.api.today_api import today_api
from saltpath.server.api.trends_api import trends_api
from saltpath.server.api.values_api import values_api
from saltpath.server.api.watch_runs_api import watch_runs_api
from saltpath.server.api.watches_api import watches_api
from saltpath.server.compression import compress_answers, send_built
from saltpath.server.entry.delays import Delays
from saltpath.server.entry.pace import Pace
from saltpath.server.guard import LOCAL, guard
from saltpath.server.limits import LARGEST_BODY
from saltpath.server.live import Watcher, live
from saltpath.server.metrics import add_metrics
from saltpath.server.openapi import ROOT, document
from saltpath.server.presence import Presence
from saltpath.server.problems import answer_errors, problem
from saltpath.server.sandbox import Confined
from saltpath.server.waiting import Waiting

PAGES = Path(__file__).parent / "pages"
BLUEPRINTS = (
    contract_api,
    entry_api,
    account_api,
    people_api,
    keys_api,
    audit_api,
    reach_api,
    provider_api,
    outline_api,
    values_api,
    lift_api,
    renaming_api,
    files_api,
    keeping_api,
    data_api,
    databases_api,
    documents,
    incoming,
    single_api,
    shared_api,
    sheets_api,
    evidence_api,
    finished_api,
    proposals_api,
    coverage_api,
    runs_api,
    exchanges_api,
    outputs_api,
    rows_api,
    outcome_api,
    deliveries_api,
    since_pass_api,
    addresses_api,
    history_api,
    compare_api,
    causes_api,
    known_api,
    watch_runs_api,
    proof_api,
    today_api,
    trends_api,
    noticing_api,
    watches_api,
    routes_api,
    left_api,
    shares_api,
    pictures_api,
    live,
)
"""The API, a noun each."""


def add_api(app: Flask) -> None:
    """Put the API's endpoints into an application."""
    for blueprint in BLUEPRINTS:
        app.register_blueprint(blueprint, url_prefix=ROOT)


def contract() -> dict[str, Any]:
    """The API's own OpenAPI document, without an installation."""
    app = Flask("saltpath", static_folder=None)
    add_api(app)
    return document(app)


def make_app(
    folder: Path, host: str = "127.0.0.1", names: Sequence[str] = (), proxied: bool = False
) -> Flask:
    """The WSGI application over a data folder that was migrated. `proxied`: others come to it
    through a proxy on this machine."""
    app = Flask("saltpath", static_folder=None)
    watcher = Watcher(folder)
    app.config.update(
        FOLDER=str(folder),
        WATCHER=watcher,
        WAITING=Waiting(watcher),
        PRESENCE=Presence(),
        DELAYS=Delays(),
        PACE=Pace(),
        BEGUN=Begun(),
        LOCAL_ONLY=host in LOCAL and not names and not proxied,
        CONFINED=Confined(folder),
        MAX_CONTENT_LENGTH=LARGEST_BODY,
    )
    app.url_map.strict_slashes = False
    compress_answers(app)
    guard(app, host, names)
    answer_errors(app)
    add_api(app)
    add_shared_pages(app)
    add_pictures(app)
    add_metrics(app)

    @app.get("/assets/<path:name>")
    def asset(name: str) -> Response:
        answer = send_built(PAGES / "assets", name)
        answer.headers["Cache-Control"] = "public, max-age=31536000, immutable"
        return answer

    @app.get("/")
    @app.get("/<path:path>")
    def page(path: str = "") -> Response:
        if path.startswith("api/"):
            return problem(404, "not-found", "There is nothing at this address.")
        if "/" not in path and path.endswith(".svg") and (PAGES / path).is_file():
            return send_built(PAGES, path)
        index = PAGES / "index.html"
        if not index.is_file():
            return problem(503, "pages-missing", "The pages are not built; make setup builds them.")
        html = index.read_text(encoding="utf-8").replace("__NONCE__", g.nonce)
        return Response(
            html, content_type="text/html; charset=utf-8", headers={"Cache-Control": "no-store"}
        )

    return app
