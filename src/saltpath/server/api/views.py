"""Stored things as the API gives them. Values are shown as text, since a browser's JSON reader
would round numbers."""

from __future__ import annotations

import logging
from datetime import UTC, datetime
from typing import Any

from msgspec.structs import replace

from saltpath.core.answers.exchange import Exchange
from saltpath.core.answers.header_values import passed_over
from saltpath.core.assist.outline import expectation, place_of, sign_in
from saltpath.core.cases.case import Auth
from saltpath.core.cases.expectations import Expectation
from saltpath.core.checks.judge import Outcome
from saltpath.core.values import measures, plain
from saltpath.core.values.why import Why, as_masked, fault
from saltpath.store.cases import StoredCase
from saltpath.store.documents import Document
from saltpath.store.evidence import StepEvidence, StepHead
from saltpath.store.runs import Run

log = logging.getLogger("saltpath.web")
TEXT_MOST = 200_000
LONGEST_CELL = 300
_OUT = str.maketrans("/.", "_~")  # an exchange's id has dots of its own


def moment(us: int | None) -> str | None:
    """UTC microseconds as RFC 3339, milliseconds."""
    if us is None:
        return None
    return (
        datetime.fromtimestamp(us / 1e6, UTC)
        .isoformat(timespec="milliseconds")
        .replace("+00:00", "Z")
    )


def ms(us: int | None) -> float | None:
    return None if us is None else round(us / 1000, 2)


def reason(why: Why | dict[str, Any] | None) -> dict[str, Any] | None:
    """The reason as a sentence, which is made when it is shown, and what a page needs of it apart:
    what was `wanted`, the place that is `near` to what was meant, the `name` that it speaks of."""
    if why is None:
        return None
    if isinstance(why, dict):
        why = Why(why["code"], why["params"])
    near, name = (why.params.get(field, "") for field in ("near", "name"))
    return {
        "code": why.code,
        "sentence": why.sentence,
        "wanted": why.wanted,
        "near": near if isinstance(near, str) and near.startswith("$") else "",
        "name": name if isinstance(name, str) else "",
    }


def run_view(run: Run) -> dict[str, Any]:
    return {
        "id": run.oid,
        "number": run.number,
        "kind": run.kind,
        "title": run.title,
        "environment": run.environment,
        "environments": list(run.environments),
        "seed": run.seed,
        "build": run.build,
        "note": run.note,
        "state": run.state,
        "verdict": run.verdict,
        "stoppedBy": run.stopped_by,
        "startedBy": run.actor,
        "askedAt": moment(run.asked_at),
        "startedAt": moment(run.started_at),
        "finishedAt": moment(run.finished_at),
        "ms": ms(run.finished_at - run.started_at) if run.finished_at and run.started_at else None,
        "counts": run.counts,
    }


def head_view(head: StepHead) -> dict[str, Any]:
    return {
        "row": head.row,
        "part": head.part,
        "index": head.step,
        "inner": head.inner,
        "place": place_of(head.part, head.step, head.inner),
        "verdict": head.verdict,
        "status": head.status,
        "ms": ms(head.us),
        "size": head.size,
    }


def step_view(step: StepEvidence, run: str, again: tuple[bool, ...] = ()) -> dict[str, Any]:
    """A step with its evidence; bodies are fetched apart, `/exchanges/{id}/body`. `again`: which
    checks were judged anew. A step that cannot be shown says so, and keeps none beside it from
    being shown."""
    try:
        return _step_view(step, run, again)
    except Exception as problem:
        log.exception("step %s of run %s cannot be shown", step.name, run)
        bare = replace(
            step,
            why=as_masked(fault(problem)),
            exchanges=(),
            outcomes=(),
            kept={},
            used={},
            secret_kept=(),
        )
        return _step_view(bare, run, ())


def _step_view(step: StepEvidence, run: str, again: tuple[bool, ...]) -> dict[str, Any]:
    head = step.head
    inner = f"-{head.inner.translate(_OUT)}" if head.inner else ""
    place = f"{run}.{head.position}.{head.row}.{head.part}.{head.step}{inner}"
    return {
        **head_view(head),
        "at": moment(head.at),
        "name": step.name,
        "kind": step.kind,
        "why": reason(step.why),
        "counts": step.counts,
        "attempts": step.attempts,
        "exchanges": [
            exchange_view(exchange, f"{place}.{hop}") for hop, exchange in enumerate(step.exchanges)
        ],
        "checks": [
            outcome_view(outcome, again=index < len(again) and again[index])
            for index, outcome in enumerate(step.outcomes)
        ],
        "kept": [
            {"name": name, "value": plain.show(value, 2000), "secret": name in step.secret_kept}
            for name, value in step.kept.items()
        ],
        "used": [
            {"text": text, "from": use["from"], "value": plain.show(use["value"], 2000)}
            for text, use in step.used.items()
        ],
    }


def outcome_view(outcome: Outcome, again: bool = False) -> dict[str, Any]:
    return {
        "verdict": outcome.verdict,
        "check": outcome.check,
        "of": outcome.of,
        "relation": outcome.relation,
        "expected": measures.show_in(outcome.expected, outcome.unit, 2000),
        "actual": outcome.was,
        "where": list(outcome.where),
        "why": reason(outcome.why),
        "advice": outcome.advice,
        "note": outcome.note,
        "again": again,
        "parts": [outcome_view(part, again) for part in outcome.parts],
        "role": outcome.role,
        "origin": outcome.origin,
    }


def every_answer_view(
    origin: str, owner: Document | StoredCase, checks: tuple[Expectation, ...]
) -> dict[str, Any]:
    """The checks on every answer of a project, a suite or a case, as they are read and as its
    document has them."""
    return {
        "origin": origin,
        "id": owner.oid,
        "name": owner.name,
        "version": owner.version,
        "checks": [expectation(item) for item in checks],
        "documents": owner.document.get("every answer", []),
    }


def sign_in_view(origin: str, owner: Document | StoredCase, auth: Auth | None) -> dict[str, Any]:
    """How the requests of a project, a suite or a case sign in, as it is read and as its document
    has it."""
    return {
        "origin": origin,
        "id": owner.oid,
        "name": owner.name,
        "version": owner.version,
        "auth": sign_in(auth, origin) if auth else None,
        "document": owner.document.get("auth"),
    }


def exchange_view(exchange: Exchange, id: str) -> dict[str, Any]:
    times = exchange.times
    media_type = next((v for n, v in exchange.headers if n.lower() == "content-type"), "")
    return {
        "id": id,
        "method": exchange.method,
        "address": exchange.address,
        "sentHead": text(exchange.sent_head),
        "sentBody": text(exchange.sent_body),
        "sentSize": len(exchange.sent_body),
        "status": exchange.status,
        "receivedHead": text(exchange.received_head),
        "mediaType": media_type,
        "size": len(exchange.body),
        "receivedSize": len(exchange.raw_body),
        "begunAt": moment(exchange.begun_us),
        "times": {
            "lookup": ms(times.lookup),
            "connect": ms(times.connect),
            "tls": ms(times.tls),
            "waiting": ms(times.waiting),
            "receiving": ms(times.receiving),
            "total": ms(times.total),
        },
        "reused": exchange.reused,
        "resent": exchange.resent,
        "why": reason(exchange.why),
        "passedOver": [said.sentence for said in passed_over(exchange.address, exchange.headers)],
    }


def text(data: bytes) -> str:
    """Octets as text for reading, cut at 200 kB; what is not UTF-8 is shown as such."""
    return data[:TEXT_MOST].decode("utf-8", "backslashreplace")


def cell_text(value: Any) -> str:
    """A cell as it is shown: text as it is, nothing for null."""
    text = "" if value is None else plain.as_text(value)
    return text if len(text) <= LONGEST_CELL else text[: LONGEST_CELL - 1] + "…"
