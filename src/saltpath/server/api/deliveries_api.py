"""Deliveries: where results of runs are sent to, and what came of each."""

from __future__ import annotations

from typing import Any

from flask import Blueprint, Response
from msgspec import UNSET
from msgspec.structs import replace

from saltpath.core.values.text_formats import is_web_address
from saltpath.server.api.views import moment, ms
from saltpath.server.asked import permitted, project_asked
from saltpath.server.audited import concerns
from saltpath.server.bodies import DeliveryRuleChange, NewDeliveryRule
from saltpath.server.context import actor, database, folder, limit, version_changed, whole
from saltpath.server.declared import ID, IF_MATCH, LIMIT, PROJECT, declared, of, page, parameter
from saltpath.server.problems import Refused, json_answer
from saltpath.store import deliveries, projects, runs, secrets
from saltpath.store.database import now_us, write
from saltpath.store.deliveries import Logged, Rule, StoredRule

deliveries_api = Blueprint("deliveries", __name__)
ITS_OWN = ("content-type", "content-length", "host", "delivery-id", "x-verdict", "connection")
"""Headers that a delivery has anyhow."""


@deliveries_api.get("/delivery-rules")
@declared("listDeliveryRules", "Where results of runs go", page("DeliveryRule"), PROJECT)
def list_rules() -> Response:
    """The oldest first. Keys are told nowhere."""
    project = project_asked()
    found = deliveries.rules(database(), project.id)
    return json_answer({"items": [_view(one) for one in found], "next": None})


@deliveries_api.post("/delivery-rules")
@declared(
    "addDeliveryRule",
    "Send results of runs somewhere",
    of("DeliveryRule"),
    status=201,
    takes=NewDeliveryRule,
    may="edit",
    did="lets results go to {}",
)
def add_rule(data: NewDeliveryRule) -> Response:
    """From the next run on that ends."""
    project = project_asked(data.project)
    rule = _changed(Rule(""), data, project.id)
    with write(database()):
        stored = deliveries.add_rule(database(), project.id, actor().id, rule)
        _keep_key(stored, data)
    return json_answer(_view(stored), 201)


@deliveries_api.patch("/delivery-rules/<id>")
@declared(
    "changeDeliveryRule",
    "Send them otherwise",
    of("DeliveryRule"),
    ID,
    IF_MATCH,
    takes=DeliveryRuleChange,
    may="edit",
    did="changed that results go to {}",
)
def change_rule(data: DeliveryRuleChange, id: str) -> Response:
    """What is on its way already goes where it says now."""
    stored = _asked(id)
    rule = _changed(stored.rule, data, stored.project)
    with write(database()):
        stored = deliveries.change_rule(database(), stored, actor().id, version_changed(), rule)
        _keep_key(stored, data)
    return json_answer(_view(stored))


@deliveries_api.delete("/delivery-rules/<id>")
@declared(
    "removeDeliveryRule",
    "Send them no more",
    of("Gone"),
    ID,
    may="edit",
    did="lets results go to {} no more",
)
def remove_rule(id: str) -> Response:
    """What is on its way still goes. `back` undoes it."""
    deliveries.turn_rule(database(), _asked(id), gone=True)
    return json_answer({"gone": True})


@deliveries_api.post("/delivery-rules/<id>/back")
@declared(
    "bringBackDeliveryRule",
    "Send them again as before",
    of("Gone"),
    ID,
    may="edit",
    did="lets results go to {} again",
)
def bring_back(id: str) -> Response:
    """Undo that they are sent no more."""
    stored = deliveries.rule_taken_away(database(), id)
    permitted(stored.project)
    concerns(stored.project, stored.oid, stored.rule.address)
    deliveries.turn_rule(database(), stored, gone=False)
    return json_answer({"gone": False})


@deliveries_api.get("/deliveries")
@declared(
    "listDeliveries",
    "What was sent, with each try",
    page("Delivery"),
    PROJECT,
    LIMIT,
    parameter("before", "the page's next"),
)
def list_deliveries() -> Response:
    """Newest first; `next` goes into `before`."""
    project, size = project_asked(), limit(20)
    found = deliveries.log_of(database(), project.id, whole("before", 0) or None, size + 1)
    names = {one.id: one.oid for one in deliveries.rules(database(), project.id)}
    items = [_log_view(one, names) for one in found[:size]]
    following = str(found[size - 1].delivery.id) if len(found) > size else None
    return json_answer({"items": items, "next": following})


@deliveries_api.post("/deliveries/<id>/again")
@declared(
    "sendAgain", "Send a result again", of("Gone"), ID, may="run", did="sent the result of {} again"
)
def send_again(id: str) -> Response:
    """At once, and if it does not arrive, again for a day."""
    delivery = deliveries.delivery(database(), id)
    permitted(delivery.project)
    number = runs.run_by_id(database(), delivery.run).number
    concerns(delivery.project, delivery.oid, f"run {number}")
    deliveries.send_again(database(), id, now_us())
    return json_answer({"gone": False})


def _asked(id: str) -> StoredRule:
    stored = deliveries.rule(database(), id)
    permitted(stored.project)
    concerns(stored.project, stored.oid, stored.rule.address)
    return stored


def _changed(rule: Rule, data: DeliveryRuleChange, project: int) -> Rule:
    """The rule as it is wanted. Raises Refused."""
    given = {
        name: getattr(data, name)
        for name in Rule.__struct_fields__
        if getattr(data, name) is not UNSET
    }
    rule = replace(rule, **given)
    if not is_web_address(rule.address):
        raise Refused(422, "address", "Give an address that begins with http:// or https://.")
    if rule.header.lower() in ITS_OWN:
        raise Refused(422, "header", f"A delivery has a header {rule.header} of its own.")
    suites = {suite.oid for suite in projects.suites(database(), project)}
    if data.suite is not UNSET and rule.suite and rule.suite not in suites:
        raise Refused(422, "suite", "There is no such suite in this project.")
    names = {one.name for one in projects.environments(database(), project)}
    if data.environment is not UNSET and rule.environment and rule.environment not in names:
        raise Refused(422, "environment", f"There is no environment {rule.environment}.")
    return rule


def _keep_key(stored: StoredRule, data: DeliveryRuleChange) -> None:
    if data.key is UNSET:
        return
    place = secrets.Place(stored.project, deliveries.secret_name(stored))
    if data.key:
        secrets.set_secret(database(), folder(), place, actor().id, data.key)
    else:
        secrets.forget(database(), place)


def _view(stored: StoredRule) -> dict[str, Any]:
    place = ("", "", deliveries.secret_name(stored))
    return {
        "id": stored.oid,
        "version": stored.version,
        **deliveries.as_json(stored.rule),
        "hasKey": place in secrets.places(database(), stored.project),
    }


def _log_view(one: Logged, names: dict[int, str]) -> dict[str, Any]:
    return {
        "id": one.delivery.oid,
        "rule": names.get(one.delivery.rule, ""),
        "run": one.run,
        "number": one.run_number,
        "title": one.title,
        "state": one.delivery.state,
        "due": moment(one.delivery.due),
        "tries": [
            {"at": moment(item.at), "ms": ms(item.us), "status": item.status, "said": item.said}
            for item in one.tries
        ],
    }
