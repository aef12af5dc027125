"""Links to a run's report for people who do not come in here: that report alone, as one page that
can do nothing, with an end. The page itself stands at `/s/TOKEN`, outside the API."""

from __future__ import annotations

from collections.abc import Iterable
from html import escape

from flask import Blueprint, Flask, Response, stream_with_context

from saltpath.formats.reports import FORMS
from saltpath.formats.reports.page import POLICY
from saltpath.server.api.person_view import here, name_of, secret_answer
from saltpath.server.api.views import moment
from saltpath.server.asked import permitted, run_asked
from saltpath.server.audited import concerns
from saltpath.server.context import actor, database
from saltpath.server.declared import ID, declared, of, page
from saltpath.server.entry.bodies import NewShare
from saltpath.server.outcome import stored_report
from saltpath.server.problems import json_answer
from saltpath.store import runs, shares
from saltpath.store.database import NotFound

shares_api = Blueprint("shares", __name__)
_GONE = "This link leads nowhere any more: it has ended, or was never one. Ask for another."
_EARLY = "This run has not ended yet. Open the link again in a while."


@shares_api.get("/runs/<id>/shares")
@declared("listShares", "Links to the report that lead there", page("Share"), ID, may="edit")
def list_shares(id: str) -> Response:
    """The newest first; their addresses were told when they were made."""
    items = [
        {
            "id": one.oid,
            "by": name_of(one.person),
            "madeAt": moment(one.made_at),
            "endsAt": moment(one.ends_at),
            "used": one.used,
            "usedAt": moment(one.used_at),
        }
        for one in shares.shares(database(), run_asked(id).id)
    ]
    return json_answer({"items": items, "next": None})


@shares_api.post("/runs/<id>/shares")
@declared(
    "addShare",
    "A link to the report, for whoever has it",
    of("NewShareLink"),
    ID,
    status=201,
    takes=NewShare,
    may="edit",
    did="made a link to the report of {}",
)
def add_share(data: NewShare, id: str) -> Response:
    """The answer has the address, which is told this once."""
    run = run_asked(id)
    share, token = shares.add_share(database(), run.project, run.id, actor().id, data.days)
    body = {"id": share.oid, "address": here(f"/s/{token}"), "endsAt": moment(share.ends_at)}
    return secret_answer(body, 201)


@shares_api.delete("/shares/<id>")
@declared(
    "endShare",
    "It leads there no more",
    of("Gone"),
    ID,
    may="edit",
    did="ended a link to the report of {}",
)
def end_share(id: str) -> Response:
    """At once."""
    share = shares.share(database(), id)
    permitted(share.project)
    shares.end_share(database(), share)
    concerns(share.project, share.oid, f"run {runs.run_by_id(database(), share.run).number}")
    return json_answer({"gone": True})


def add_shared_pages(app: Flask) -> None:
    """The pages behind such links. Nothing else can be reached from one."""

    @app.get("/s/<token>")
    def shared(token: str) -> Response:
        try:
            share = shares.of_token(database(), token)
        except NotFound:
            return _page(_told(_GONE), 404)
        run = runs.run_by_id(database(), share.run)
        if run.state != "finished":
            return _page(_told(_EARLY), 404)
        shares.opened(database(), share)
        return _page(stream_with_context(FORMS["html"].write(stored_report(run))), 200)


def _page(body: str | Iterable[bytes], status: int) -> Response:
    answer = Response(body, status, content_type="text/html; charset=utf-8")
    answer.headers["Content-Security-Policy"] = f"{POLICY}; frame-ancestors 'none'; sandbox"
    answer.headers["Cache-Control"] = "no-store"
    answer.headers["X-Robots-Tag"] = "noindex, nofollow"
    return answer


def _told(sentence: str) -> str:
    return (
        '<!doctype html><html lang="en"><meta charset="utf-8"><title>Salt Path</title>'
        f"<p>{escape(sentence)}</p></html>"
    )
