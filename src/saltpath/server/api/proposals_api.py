"""What the kept answers of a step propose to check: nothing here sends anything."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any
from urllib.parse import parse_qsl, urlsplit

from flask import Blueprint, Response

from saltpath.core.answers.exchange import MASK
from saltpath.core.assist.observations import places
from saltpath.core.assist.proposals import ECHOES, FORMS, SURE, Observed, propose
from saltpath.core.cases.steps import steps_in
from saltpath.core.checks.typed import write_sentence
from saltpath.core.values import plain
from saltpath.server.api.views import reason
from saltpath.server.asked import case_asked
from saltpath.server.context import database
from saltpath.server.declared import ID, declared, of, parameter
from saltpath.server.problems import json_answer
from saltpath.store import evidence, kept_answers, runs
from saltpath.store.cases import StoredCase

proposals_api = Blueprint("proposals", __name__)
MOST_ANSWERS = 200
MOST_READ = 20_000_000


@proposals_api.get("/cases/<id>/steps/<key>/proposals")
@declared(
    "listProposals",
    "Checks that a step's answers justify",
    of("Proposals"),
    ID,
    parameter("key", "the step's key", True, "path"),
)
def list_proposals(id: str, key: str) -> Response:
    """Checks that the last answers of a step justify, at most 200 of the status that the newest
    has, each with its evidence; places that a check of the step looks at already are left out.
    `needs`: from how many answers on what is proposed."""
    stored = case_asked(id)
    observed = list(_observed(stored, key))
    observed.reverse()
    step: dict[str, Any] = next(
        (step for step in steps_in(stored.document) if step.get("key") == key), {}
    )
    looked_at = {check.get("of") for check in step.get("expect", [])}
    items = [
        {
            "check": proposal.check,
            "typed": write_sentence(proposal.check),
            "evidence": reason(proposal.evidence),
        }
        for proposal in (propose(observed) if observed else [])
        if proposal.check["of"] not in looked_at and MASK not in plain.as_text(proposal.check)
    ]
    needs = {"sent": ECHOES, "forms": FORMS, "always": SURE}
    return json_answer({"answers": len(observed), "needs": needs, "items": items})


def _observed(stored: StoredCase, key: str) -> Iterator[Observed]:
    """The step's last answers that are JSON, newest first, all of one status."""
    status, read = None, 0
    for run, position in runs.last_runs_of_case(
        database(), stored.project, stored.id, MOST_ANSWERS
    ):
        for seen in reversed(evidence.steps_with_key(database("evidence"), run, position, key)):
            answer = kept_answers.answer_of(seen)
            if (
                answer is None
                or not answer.looks_json
                or len(answer.body) > kept_answers.LARGEST_BODY
            ):
                continue
            if status not in (None, answer.status) or read + len(answer.body) > MOST_READ:
                continue
            status, read = answer.status, read + len(answer.body)
            document = answer.json()
            if isinstance(document, dict | list):
                exchange = seen.exchanges[-1]
                yield Observed(document, dict(_sent(exchange.address, exchange.sent_body)))


def _sent(address: str, body: bytes) -> Iterator[tuple[str, Any]]:
    """What a request asked with, by the reference that reads it."""
    for name, value in parse_qsl(urlsplit(address).query):
        yield f"sent query {name}", value
    try:
        document = plain.read_json(body) if body[:1] in (b"{", b"[") else None
    except plain.NotPlain:
        return
    for path, value in places(document):
        if isinstance(value, str) or plain.is_number(value):
            yield f"sent {path}", value
