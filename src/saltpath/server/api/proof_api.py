"""Supplier reports of watches, the file that checks them, and the heads of what is sealed."""

from __future__ import annotations

from datetime import datetime
from importlib.resources import files

from flask import Blueprint, Response, request

from saltpath.core.values.moments import zone_of
from saltpath.server.api.views import moment
from saltpath.server.asked import project_asked, watch_asked
from saltpath.server.context import database
from saltpath.server.declared import PROJECT, SHEET, declared, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.server.stretches import DAY_S, TO, from_parameter, stretch
from saltpath.store import watches
from saltpath.store.database import now_us
from saltpath.store.documents import Document

proof_api = Blueprint("proof", __name__)
SECOND_US = 1_000_000
FROM = from_parameter("thirty days")
SUPPLIER = parameter("supplier", "only the watches of this supplier")
WATCH = parameter("watch", "only this watch")
MOST_WATCHES = 200


@proof_api.get("/watches/proof")
@declared(
    "readProof",
    "A supplier report that can be checked",
    None,
    PROJECT,
    FROM,
    TO,
    SUPPLIER,
    WATCH,
    parameter("form", "html, which can be checked, or xlsx"),
    media="text/html",
    dear=True,
)
def read_proof() -> Response:
    """Over the full hours that lie within the stretch, and are sealed: per watch availability,
    outages with what the first bad run saw, times, agreed maintenance, and every run, in a chain of
    hashes. `readVerifier` checks it."""
    from saltpath import proving

    project, form = project_asked(), request.args.get("form", "html")
    if form not in ("html", "xlsx"):
        raise Refused(422, "form", "A report is html or xlsx.")
    stored = _chosen(project)
    history = database("history")
    period = proving.full_hours(*stretch(30 * DAY_S))
    period = proving.sealed_until(history, stored, period)
    if period.begin >= period.end:
        raise Refused(
            422, "not-sealed", "Nothing of this time is sealed yet: an hour is, ten minutes later."
        )
    now = now_us() // SECOND_US
    supplier = request.args.get("supplier", "")
    proof = proving.proof_of(history, project, stored, period, now, supplier)
    zone = zone_of(proof.zone)
    days = [f"{datetime.fromtimestamp(at, zone):%Y-%m-%d}" for at in (period.begin, period.end - 1)]
    name = f"availability-{'-to-'.join(dict.fromkeys(days))}"
    if form == "xlsx":
        from saltpath.formats.proof import workbook

        return _file(workbook.write(proof), SHEET, f"{name}.xlsx")
    from saltpath.formats.proof import page as proof_page

    return _file(b"".join(proof_page.write(proof)), "text/html; charset=utf-8", f"{name}.html")


def _chosen(project: Document) -> list[Document]:
    stored = watches.watches(database(), project.id)
    if "watch" in request.args:
        only = watch_asked(request.args["watch"])
        stored = [one for one in stored if one.id == only.id]
    if request.args.get("supplier"):
        wanted = request.args["supplier"]
        stored = [one for one in stored if one.document.get("supplier") == wanted]
    if not stored:
        raise Refused(422, "no-watch", "There is no such watch in this project.")
    if len(stored) > MOST_WATCHES:
        raise Refused(422, "too-many", f"At most {MOST_WATCHES} watches stand in a report.")
    return stored


def _file(body: bytes, media: str, name: str) -> Response:
    headers = {"Content-Disposition": f'attachment; filename="{name}"'}
    return Response(body, mimetype=None, content_type=media, headers=headers)


@proof_api.get("/verify.py")
@declared(
    "readVerifier", "The file that checks supplier reports", None, media="text/x-python", may="open"
)
def read_verifier() -> Response:
    """It needs nothing but Python, and can be read."""
    source = (files("saltpath.core.proof") / "verify.py").read_bytes()
    return _file(source, "text/x-python; charset=utf-8", "verify.py")


@proof_api.get("/watches/heads")
@declared("listHeads", "The last sealed hour of each watch", page("SealedHour"), PROJECT)
def list_heads() -> Response:
    """Its head vouches for all hours before it. Keep one, and what a later report says up to there
    must have been so then."""
    from saltpath.store.history import heads

    project, items = project_asked(), []
    for stored in watches.watches(database(), project.id):
        last = heads.newest(database("history"), stored.id)
        if last is not None:
            items.append(
                {
                    "id": stored.oid,
                    "name": stored.name,
                    "hour": moment(last.hour * 3600 * SECOND_US),
                    "head": last.head.hex(),
                }
            )
    return json_answer({"items": items, "next": None})
