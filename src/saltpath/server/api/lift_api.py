"""What stands written out in many places becomes a value: offered, shown before it is done, and
done everywhere in one act."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response

from saltpath.core.assist.lift import ORIGIN, Place, lifted, offers
from saltpath.core.assist.value_cells import is_secret, read_value
from saltpath.core.format.carried import carried
from saltpath.core.format.reader import case_from_data
from saltpath.core.references.templates import is_name
from saltpath.core.values import plain
from saltpath.server.asked import case_asked, project_asked
from saltpath.server.audited import concerns, nothing_done
from saltpath.server.bodies import Lift
from saltpath.server.context import actor, database, folder
from saltpath.server.declared import PROJECT, declared, of, page
from saltpath.server.origins import origins_of
from saltpath.server.problems import Refused, json_answer, not_a_name
from saltpath.store import cases, projects
from saltpath.store.database import VersionConflict
from saltpath.store.documents import Document
from saltpath.store.values import CellChange, change_values

lift_api = Blueprint("lift", __name__)
MOST_OFFERED = 20
TRIES = 5


@lift_api.get("/lifts")
@declared(
    "listLiftOffers",
    "What stands written out in several steps",
    page("LiftOffer"),
    PROJECT,
    dear=True,
)
def list_offers() -> Response:
    """Where requests go and what they say, written out in several steps, most frequent first; with
    the name of the value that says just that already (`there`), or one that a new one could
    have."""
    project = project_asked()
    known = origins_of(project)
    documents = [case.document for case in cases.cases(database(), project.id)]
    items = [
        {
            "literal": offer.value,
            "name": known.get(offer.value, offer.name),
            "there": offer.value in known,
            "steps": offer.steps,
            "cases": offer.cases,
        }
        for offer in offers(documents, _values(project))[:MOST_OFFERED]
    ]
    return json_answer({"items": items, "next": None})


def _values(project: Document) -> dict[str, Any]:
    """The project's values by name, an environment's where it says one alone."""
    found: dict[str, Any] = {}
    for environment in projects.environments(database(), project.id):
        found.update(environment.document.get("values", {}))
    found.update(project.document.get("values", {}))
    return found


@lift_api.post("/lifts")
@declared(
    "lift",
    "Make a value of what stands written out",
    of("Lifted"),
    takes=Lift,
    may="edit",
    did="lifted what stood written out into the value {}",
)
def lift(data: Lift) -> Response:
    """The places where a literal stands, as they would read; with `take`, in the cases and as a
    value of the project. `left`: by case, the places that stay as they are. A name that is there
    already is used if it reads just so, anywhere."""
    project = project_asked(data.project)
    literal, name = data.literal, data.name
    if not is_name(name):
        raise not_a_name()
    value = literal if ORIGIN.fullmatch(literal) else read_value(literal)
    if isinstance(value, dict | list | bool) or value is None:
        raise Refused(422, "literal", "Only a text or a number can be lifted.")
    there = _is_there(project, name, value, literal)
    places: list[dict[str, Any]] = []
    saved: list[dict[str, Any]] = []
    for case in cases.cases(database(), project.id):
        kept = frozenset(data.left.get(case.oid, ()))
        document, found = lifted(case.document, value, name, kept)
        places += [_view(case, place) for place in found]
        if data.take and not plain.same(document, case.document):
            saved.append(_save(case, value, name, kept))
    undo: list[dict[str, Any]] = []
    if saved and not there:
        change_values(
            database(), folder(), project, actor().id, [CellChange("put", name, value=value)]
        )
        undo = [{"kind": "remove", "name": name, "suite": ""}]
    if not saved:
        nothing_done()
    concerns(project.id, project.oid, name)
    return json_answer({"places": places, "there": there, "saved": saved, "undo": undo})


def _is_there(project: Document, name: str, value: Any, literal: str) -> bool:
    """Whether the project has the value already. Raises Refused if it has another one of this
    name."""
    if origins_of(project).get(literal.rstrip("/")) == name:
        return True
    known = _values(project)
    if name not in known:
        return False
    if is_secret(known[name]) or not plain.same(known[name], value):
        raise Refused(
            409,
            "taken",
            f"There is a value {name} already, and it reads otherwise; choose another name.",
        )
    return True


def _view(case: cases.StoredCase, place: Place) -> dict[str, Any]:
    return {
        "case": case.oid,
        "caseName": case.name,
        "path": place.path,
        "step": place.step,
        "before": place.before,
        "after": place.after,
    }


def _save(case: cases.StoredCase, value: Any, name: str, left: frozenset[str]) -> dict[str, Any]:
    """The case with the reference in the literal's places, on the newest version that there is."""
    for tried in range(TRIES):
        document, _ = lifted(case.document, value, name, left)
        case_from_data(document)
        comments = carried(case.document, document, case.comments)
        try:
            made = cases.save_case(
                database(), case.oid, actor().id, case.version, document, comments
            )
        except VersionConflict:
            if tried == TRIES - 1:
                raise
            case = case_asked(case.oid)
            continue
        return {"id": made.oid, "name": made.name, "version": made.version, "before": case.document}
    raise AssertionError("unreachable")
